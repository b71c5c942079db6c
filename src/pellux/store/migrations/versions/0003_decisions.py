"""Predictions, re-judging, analyses, decision records that cannot be changed"""

import sqlalchemy as sa
from alembic import op

from pellux.store.migrations import steps

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    steps.add_column("search", sa.Column("kind", sa.String(), nullable=False, server_default="search"))
    steps.add_column("trial", sa.Column("learner", sa.String(), nullable=False, server_default=""))
    if not steps.has_column("trial", "source_id"):
        op.execute("ALTER TABLE trial ADD COLUMN source_id INTEGER REFERENCES trial (id)")
    steps.create_index("ix_trial_source_id", "trial", ["source_id"])
    steps.add_column("fit", sa.Column("model_bytes", sa.Integer(), nullable=True))
    steps.add_column("decision", sa.Column("record", sa.JSON(), nullable=False, server_default="{}"))
    steps.add_column("decision", sa.Column("fingerprint", sa.String(), nullable=False, server_default=""))
    steps.create_table(
        "prediction",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("search_id", sa.Integer(), nullable=False),
        sa.Column("trial", sa.Integer(), nullable=False),
        sa.Column("fold", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["search_id"], ["search.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("search_id", "trial", "fold", name="one_prediction_a_fit"),
    )
    steps.create_table(
        "side_score",
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("metric", sa.String(), nullable=False),
        sa.Column("mean", sa.Double(), nullable=True),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"]),
        sa.PrimaryKeyConstraint("trial_id", "metric"),
        sqlite_with_rowid=False,
    )
    steps.create_table(
        "analysis",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("problem_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("request", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("result", sa.JSON(), nullable=True),
        sa.Column("message", sa.String(), nullable=False),
        sa.Column("created_at", sa.Double(), nullable=False),
        sa.Column("ended_at", sa.Double(), nullable=True),
        sa.ForeignKeyConstraint(["problem_id"], ["problem.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    steps.create_index("analysis_asked", "analysis", ["problem_id", "kind", "key"])
    for what in ("UPDATE", "DELETE"):
        op.execute(
            f"CREATE TRIGGER IF NOT EXISTS decision_refuses_{what.lower()} BEFORE {what} ON decision "
            "BEGIN SELECT RAISE(ABORT, 'A decision is never changed; make a new one.'); END"
        )
