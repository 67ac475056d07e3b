"""What to change: cable, grounds, fuse."""
