"""What is counted and summed of a search is read from indexes alone, however many trials it has
"""

from pellux.store.migrations.steps import create_index

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    create_index("trial_tallies", "trial", ["search_id", "state", "origin", "share", "seconds"])
    create_index("fit_tallies", "fit", ["search_id", "state", "seconds"])
