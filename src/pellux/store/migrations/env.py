"""Alembic's entry: runs the migrations on the connection that store/database.py hands over."""

from alembic import context

from pellux.store.models import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
