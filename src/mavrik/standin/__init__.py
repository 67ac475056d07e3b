"""The simulated vehicle and instruments that ship with the product."""
