"""Scores by other metrics beside the one that decides"""

import sqlalchemy as sa

from pellux.store.migrations import steps

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    steps.add_column("fit", sa.Column("recorded", sa.JSON(), nullable=False, server_default="{}"))
