"""First tables"""

import sqlalchemy as sa

from pellux.store.migrations import steps

revision = '0001'
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    steps.create_table('data_file',
    sa.Column('hash', sa.String(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('rows', sa.Integer(), nullable=False),
    sa.Column('columns', sa.Integer(), nullable=False),
    sa.Column('bytes', sa.Integer(), nullable=False),
    sa.Column('created_at', sa.Double(), nullable=False),
    sa.PrimaryKeyConstraint('hash')
    )
    steps.create_table('ledger',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('at', sa.Double(), nullable=False),
    sa.Column('search_id', sa.Integer(), nullable=True),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('payload', sa.Text(), nullable=False),
    sa.PrimaryKeyConstraint('id'),
    sqlite_autoincrement=True
    )
    steps.create_index("ix_ledger_search_id", "ledger", ["search_id"])

    steps.create_table('problem',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('data_hash', sa.String(), nullable=False),
    sa.Column('brief', sa.JSON(), nullable=False),
    sa.Column('brief_hash', sa.String(), nullable=False),
    sa.Column('folds_hash', sa.String(), nullable=False),
    sa.Column('frozen', sa.Boolean(), nullable=False),
    sa.Column('derived_from', sa.Integer(), nullable=True),
    sa.Column('tags', sa.JSON(), nullable=False),
    sa.Column('created_at', sa.Double(), nullable=False),
    sa.ForeignKeyConstraint(['data_hash'], ['data_file.hash'], ),
    sa.ForeignKeyConstraint(['derived_from'], ['problem.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    steps.create_index("ix_problem_brief_hash", "problem", ["brief_hash"])

    steps.create_table('search',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('problem_id', sa.Integer(), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.Column('learner', sa.String(), nullable=False),
    sa.Column('space', sa.Text(), nullable=False),
    sa.Column('plan', sa.JSON(), nullable=False),
    sa.Column('plan_hash', sa.String(), nullable=False),
    sa.Column('state', sa.String(), nullable=False),
    sa.Column('reason', sa.String(), nullable=False),
    sa.Column('workers', sa.Integer(), nullable=False),
    sa.Column('active_seconds', sa.Double(), nullable=False),
    sa.Column('created_at', sa.Double(), nullable=False),
    sa.Column('ended_at', sa.Double(), nullable=True),
    sa.Column('versions', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['problem_id'], ['problem.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    steps.create_index("ix_search_plan_hash", "search", ["plan_hash"])
    steps.create_index("ix_search_problem_id", "search", ["problem_id"])
    steps.create_index("ix_search_state", "search", ["state"])

    steps.create_table('fit',
    sa.Column('search_id', sa.Integer(), nullable=False),
    sa.Column('trial', sa.Integer(), nullable=False),
    sa.Column('fold', sa.Integer(), nullable=False),
    sa.Column('state', sa.String(), nullable=False),
    sa.Column('attempt', sa.Integer(), nullable=False),
    sa.Column('lane', sa.Integer(), nullable=True),
    sa.Column('started_at', sa.Double(), nullable=True),
    sa.Column('ended_at', sa.Double(), nullable=True),
    sa.Column('score', sa.Double(), nullable=True),
    sa.Column('seconds', sa.Double(), nullable=False),
    sa.Column('predict_seconds', sa.Double(), nullable=False),
    sa.Column('message', sa.String(), nullable=False),
    sa.Column('log', sa.Text(), nullable=False),
    sa.Column('warnings', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['search_id'], ['search.id'], ),
    sa.PrimaryKeyConstraint('search_id', 'trial', 'fold'),
    sqlite_with_rowid=False
    )
    steps.create_table('trial',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('search_id', sa.Integer(), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.Column('origin', sa.String(), nullable=False),
    sa.Column('state', sa.String(), nullable=False),
    sa.Column('reason', sa.String(), nullable=False),
    sa.Column('configuration', sa.JSON(), nullable=False),
    sa.Column('scores', sa.JSON(), nullable=False),
    sa.Column('mean', sa.Double(), nullable=True),
    sa.Column('error', sa.Double(), nullable=True),
    sa.Column('rank_score', sa.Double(), nullable=True),
    sa.Column('seconds', sa.Double(), nullable=False),
    sa.Column('seen', sa.Integer(), nullable=False),
    sa.Column('pending', sa.Integer(), nullable=False),
    sa.Column('created_at', sa.Double(), nullable=False),
    sa.Column('ended_at', sa.Double(), nullable=True),
    sa.Column('note', sa.String(), nullable=False),
    sa.Column('tags', sa.JSON(), nullable=False),
    sa.Column('shortlisted', sa.Boolean(), nullable=False),
    sa.ForeignKeyConstraint(['search_id'], ['search.id'], ),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('search_id', 'number', name='one_number_a_search')
    )
    steps.create_index("trial_ranking", "trial", ["search_id", "state", "rank_score"])

    steps.create_table('decision',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('problem_id', sa.Integer(), nullable=False),
    sa.Column('trial_id', sa.Integer(), nullable=False),
    sa.Column('rule', sa.String(), nullable=False),
    sa.Column('reason', sa.String(), nullable=False),
    sa.Column('signer', sa.String(), nullable=False),
    sa.Column('created_at', sa.Double(), nullable=False),
    sa.ForeignKeyConstraint(['problem_id'], ['problem.id'], ),
    sa.ForeignKeyConstraint(['trial_id'], ['trial.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    steps.create_index("ix_decision_problem_id", "decision", ["problem_id"])

