"""Jobs: drawings on their way to real sheets."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade():
    op.create_table(
        "job",
        sa.Column("uid", sa.String(300), primary_key=True),
        sa.Column("revision", sa.Integer, primary_key=True),
        sa.Column("at", sa.String(32), nullable=False),
        sa.Column("who", sa.String(80), nullable=False),
        sa.Column("why", sa.Text, nullable=False),
        sa.Column("removed", sa.Boolean, nullable=False),
        sa.Column("body", sa.Text, nullable=False),
    )
