"""What other problems taught a search
"""

import sqlalchemy as sa

from pellux.store.migrations.steps import create_index, create_table

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    create_table(
        "lesson",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("search_id", sa.Integer(), nullable=False),
        sa.Column("problem_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("likeness", sa.Double(), nullable=False),
        sa.Column("trials", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["search_id"], ["search.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    create_index("ix_lesson_search_id", "lesson", ["search_id"])
