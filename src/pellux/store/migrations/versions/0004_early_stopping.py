"""Rungs, learning curves, lineage, and what early stopping was resolved to"""

import sqlalchemy as sa
from alembic import op

from pellux.store.migrations import steps

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

FIT = (
    "search_id, trial, fold, state, attempt, lane, started_at, ended_at, score, seconds, predict_seconds, message, log, "
    "warnings, model_bytes"
)


def upgrade() -> None:
    steps.add_column("search", sa.Column("stopping", sa.JSON(), nullable=False, server_default="{}"))
    for name in ("bracket", "cohort", "rung"):
        steps.add_column("trial", sa.Column(name, sa.Integer(), nullable=False, server_default="0"))
    steps.add_column("trial", sa.Column("results", sa.JSON(), nullable=False, server_default="{}"))
    steps.add_column("trial", sa.Column("best_iteration", sa.Integer(), nullable=True))
    steps.add_column("trial", sa.Column("parent", sa.Integer(), nullable=True))
    steps.add_column("trial", sa.Column("share", sa.Double(), nullable=False, server_default="0"))
    op.execute("UPDATE trial SET share = 1 WHERE state = 'scored'")
    # A key cannot be changed in place: the table is made anew.
    if "fit" in steps.tables() and not steps.has_column("fit", "rung"):
        op.execute("ALTER TABLE fit RENAME TO fit_before")
    steps.create_table(
        "fit",
        sa.Column("search_id", sa.Integer(), nullable=False),
        sa.Column("trial", sa.Integer(), nullable=False),
        sa.Column("fold", sa.Integer(), nullable=False),
        sa.Column("rung", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("attempt", sa.Integer(), nullable=False),
        sa.Column("lane", sa.Integer(), nullable=True),
        sa.Column("started_at", sa.Double(), nullable=True),
        sa.Column("ended_at", sa.Double(), nullable=True),
        sa.Column("score", sa.Double(), nullable=True),
        sa.Column("seconds", sa.Double(), nullable=False),
        sa.Column("predict_seconds", sa.Double(), nullable=False),
        sa.Column("message", sa.String(), nullable=False),
        sa.Column("log", sa.Text(), nullable=False),
        sa.Column("warnings", sa.JSON(), nullable=False),
        sa.Column("model_bytes", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["search_id"], ["search.id"]),
        sa.PrimaryKeyConstraint("search_id", "trial", "fold", "rung"),
        sqlite_with_rowid=False,
    )
    if "fit_before" in steps.tables():
        op.execute(f"INSERT OR IGNORE INTO fit ({FIT}, rung) SELECT {FIT}, 0 FROM fit_before")
        op.drop_table("fit_before")
    steps.create_table(
        "point",
        sa.Column("search_id", sa.Integer(), nullable=False),
        sa.Column("trial", sa.Integer(), nullable=False),
        sa.Column("fold", sa.Integer(), nullable=False),
        sa.Column("iteration", sa.Integer(), nullable=False),
        sa.Column("score", sa.Double(), nullable=False),
        sa.ForeignKeyConstraint(["search_id"], ["search.id"]),
        sa.PrimaryKeyConstraint("search_id", "trial", "fold", "iteration"),
        sqlite_with_rowid=False,
    )
