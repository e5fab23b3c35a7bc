"""The first tables: machines, stocks, trials, readings, runs and entries, all as revisions."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None

SUBJECT = (("machine_uid", 80), ("stock_uid", 80), ("task", 20))


def revisions(name, *columns):
    op.create_table(
        name,
        sa.Column("uid", sa.String(80), primary_key=True),
        sa.Column("revision", sa.Integer, primary_key=True),
        sa.Column("at", sa.String(32), nullable=False),
        sa.Column("why", sa.String(200), nullable=False),
        sa.Column("removed", sa.Boolean, nullable=False),
        *(sa.Column(column, sa.String(length), nullable=False) for column, length in columns),
        sa.Column("body", sa.Text, nullable=False),
    )


def upgrade():
    revisions("machine")
    revisions("stock")
    revisions("trial", *SUBJECT, ("stage", 20))
    revisions("reading", ("trial_uid", 80))
    revisions("run")
    revisions("entry", *SUBJECT)
    op.create_index("trial_subject", "trial", ["machine_uid", "stock_uid", "task"])
    op.create_index("entry_subject", "entry", ["machine_uid", "stock_uid", "task"])
    op.create_index("reading_trial", "reading", ["trial_uid"])
