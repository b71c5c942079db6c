"""Alembic's entry: runs the migrations on the connection, and in the transaction, that store/upgrading.py hands over."""

from alembic import context

from pellux.store.models import Base

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    render_as_batch=True,
    transactional_ddl=True,  # SQLite's is; Alembic leaves it off there
)
with context.begin_transaction():
    context.run_migrations()
