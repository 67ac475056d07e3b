"""The HTTP face: parse, call a use case, answer."""
