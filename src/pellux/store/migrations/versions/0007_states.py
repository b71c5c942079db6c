"""States by their plain names: a trial is due and may end early, a fit runs too long or grows too large

What was told of them in the ledger is named alike, so that whoever reads it from the beginning knows one set of names.
"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

TRIALS = {"waiting": "due", "pruned": "ended early"}
FITS = {"timeout": "too long", "memory": "too large"}


def upgrade() -> None:
    for table, names in (("trial", TRIALS), ("fit", FITS)):
        for before, after in names.items():
            named = {"before": before, "after": after, "kind": table}
            op.execute(sa.text(f"UPDATE {table} SET state = :after WHERE state = :before").bindparams(before=before, after=after))
            op.execute(
                sa.text(
                    "UPDATE ledger SET payload = json_set(payload, '$.state', :after) "
                    "WHERE kind = :kind AND json_extract(payload, '$.state') = :before"
                ).bindparams(**named)
            )

