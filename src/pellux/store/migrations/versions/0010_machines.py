"""A fit tells the machine of a cluster that it ran on
"""

import sqlalchemy as sa

from pellux.store.migrations.steps import add_column

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    add_column("fit", sa.Column("machine", sa.String(), nullable=False, server_default=""))
