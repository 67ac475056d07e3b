"""What is kept: SQLAlchemy models, sessions and migrations. Knows no HTTP."""
