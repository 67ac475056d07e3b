"""The tests of the trade, a file a test; nothing lists them."""
