"""Acts of service on the machines."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade():
    op.create_table(
        "act",
        sa.Column("uid", sa.String(300), primary_key=True),
        sa.Column("revision", sa.Integer, primary_key=True),
        sa.Column("at", sa.String(32), nullable=False),
        sa.Column("who", sa.String(80), nullable=False),
        sa.Column("why", sa.Text, nullable=False),
        sa.Column("removed", sa.Boolean, nullable=False),
        sa.Column("body", sa.Text, nullable=False),
    )
