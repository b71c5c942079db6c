"""Resolved strategies, overrides, past results, rehearsals"""

import sqlalchemy as sa

from pellux.store.migrations import steps

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    steps.add_column("search", sa.Column("strategy", sa.String(), nullable=False, server_default="random"))
    steps.add_column("search", sa.Column("strategy_reason", sa.String(), nullable=False, server_default=""))
    steps.add_column("search", sa.Column("overrides", sa.JSON(), nullable=False, server_default="[]"))
    steps.create_table(
        "past_result",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("problem_id", sa.Integer(), nullable=False),
        sa.Column("learner", sa.String(), nullable=False),
        sa.Column("source", sa.String(), nullable=False),
        sa.Column("configuration", sa.JSON(), nullable=False),
        sa.Column("score", sa.Double(), nullable=False),
        sa.Column("created_at", sa.Double(), nullable=False),
        sa.ForeignKeyConstraint(["problem_id"], ["problem.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    steps.create_index("ix_past_result_problem_id", "past_result", ["problem_id"])
    steps.create_table(
        "rehearsal_fit",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("problem_id", sa.Integer(), nullable=False),
        sa.Column("learner", sa.String(), nullable=False),
        sa.Column("configuration", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("seconds", sa.Double(), nullable=False),
        sa.Column("message", sa.String(), nullable=False),
        sa.Column("created_at", sa.Double(), nullable=False),
        sa.ForeignKeyConstraint(["problem_id"], ["problem.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    steps.create_index("ix_rehearsal_fit_problem_id", "rehearsal_fit", ["problem_id"])
