"""Open formats in and out, one file a format."""
