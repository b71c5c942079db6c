"""What a search has limits on is measured of every trial, and whether it keeps them
"""

import sqlalchemy as sa

from pellux.store.migrations.steps import add_column

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    add_column("trial", sa.Column("measured", sa.JSON(), nullable=True))
    add_column("trial", sa.Column("keeps", sa.Boolean(), nullable=True))
