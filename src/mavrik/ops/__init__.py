"""Running the product on a machine: packages, environments, the private database, the server. Standard library only,
because it runs before anything is installed."""
