"""The shop's own decisions on disputed families of stock."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade():
    op.create_table(
        "rule",
        sa.Column("uid", sa.String(80), primary_key=True),
        sa.Column("revision", sa.Integer, primary_key=True),
        sa.Column("at", sa.String(32), nullable=False),
        sa.Column("why", sa.String(200), nullable=False),
        sa.Column("removed", sa.Boolean, nullable=False),
        sa.Column("body", sa.Text, nullable=False),
    )
