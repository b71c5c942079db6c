"""Problems of any objective, reasons as codes, settings of strategies, one word for one thing

Reasons that were written as sentences stay as they are, under the code 'told'. "No early stopping" is stored one way.
"""

import json

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

NO_EARLY_STOPPING = {"key": "none", "reason": "", "resource": "", "levels": [1], "settings": {}, "grid": [], "first": 0}
RENAMED = {"thrifty descent": "gain per second"}
POPULATION = "population training"


def upgrade() -> None:
    with op.batch_alter_table("problem") as batch:
        batch.alter_column("data_hash", existing_type=sa.String(), nullable=True)
        batch.alter_column("folds_hash", existing_type=sa.String(), nullable=True)
        batch.add_column(sa.Column("objective", sa.String(), nullable=False, server_default="table"))
    op.add_column("search", sa.Column("strategy_settings", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("trial", sa.Column("goal", sa.Integer(), nullable=True))
    op.execute("ALTER TABLE trial RENAME COLUMN error TO standard_error")
    op.execute("ALTER TABLE fit RENAME COLUMN message TO reason")
    for table in ("search", "trial", "fit"):
        op.execute(f"UPDATE {table} SET reason = json_object('code', 'told', 'text', reason) WHERE reason != ''")
    op.execute("UPDATE trial SET reason = json_insert(reason, '$.flat', json('true')) WHERE reason LIKE '%flat from the start%'")
    for number, plan, strategy, stopping, trials in _searches():
        _bring_up(number, plan, strategy, stopping, trials)


def _searches() -> list[tuple[int, dict, str, dict, int]]:
    rows = op.get_bind().execute(sa.text("SELECT id, plan, strategy, stopping FROM search")).fetchall()
    return [(row[0], json.loads(row[1]), row[2], json.loads(row[3]), json.loads(row[1]).get("trials", 0)) for row in rows]


def _bring_up(number: int, plan: dict, strategy: str, stopping: dict, trials: int) -> None:
    """One search: its plan and what it was resolved to, as this version writes them."""
    plan["strategy"] = RENAMED.get(plan.get("strategy", ""), plan.get("strategy", "automatic"))
    settings: dict = {}
    if stopping.pop("segments", False):
        given = plan.get("stopping", {})
        interval = given.pop("interval", None)
        plan["strategy settings"] = {} if interval is None else {"interval": interval}
        levels = stopping["levels"]
        settings = {"interval": levels[0], "members": max(trials // len(levels), 1), "top": len(levels) - 1, "steerable": []}
        op.execute(sa.text("UPDATE trial SET goal = rung WHERE search_id = :id AND origin != 'baseline'").bindparams(id=number))
    values = {
        "id": number, "plan": json.dumps(plan), "strategy": RENAMED.get(strategy, strategy),
        "stopping": json.dumps(stopping or NO_EARLY_STOPPING), "settings": json.dumps(settings),
    }  # fmt: skip
    op.execute(
        sa.text(
            "UPDATE search SET plan = :plan, strategy = :strategy, stopping = :stopping, strategy_settings = :settings WHERE id = :id"
        ).bindparams(**values)
    )
