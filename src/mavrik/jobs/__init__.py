"""The use cases: one function for each thing a person does."""
