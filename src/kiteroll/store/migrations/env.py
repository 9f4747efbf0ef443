"""Alembic's entry: runs the numbered migrations on the engine that `migrate` hands over."""

from alembic import context

from kiteroll.store.tables import metadata

engine = context.config.attributes["engine"]
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=metadata, transaction_per_migration=True)
    with context.begin_transaction():
        context.run_migrations()
