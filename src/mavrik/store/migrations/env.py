"""Alembic's entry: runs the migrations over the URL it is given."""

from alembic import context
from sqlalchemy import create_engine
from sqlalchemy.pool import NullPool

from mavrik.store.models import Base

url = context.config.get_main_option("sqlalchemy.url")
assert url is not None
# Not pooled: a connection left open would keep the database from being renamed or dropped.
with create_engine(url, poolclass=NullPool).connect() as connection:
    context.configure(
        connection=connection,
        target_metadata=Base.metadata,
        # The queue's tables are its package's, see migration 0011.
        include_name=lambda name, kind, parents: not (kind == "table" and str(name).startswith("procrastinate_")),
    )
    with context.begin_transaction():
        context.run_migrations()
