"""Words of a job that store, exchange and use cases share."""
