"""Heat of conductors: what a current warms them to, what they may carry."""
