"""The API, a file an area; each holds its blueprint as `api`, and nothing else lists them."""
