"""Who wrote each revision; photos inside a shared library; room for long ids where the database
minds lengths.
"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"

TABLES = ("machine", "stock", "trial", "reading", "run", "entry", "rule")


def upgrade():
    for name in TABLES:
        op.add_column(name, sa.Column("who", sa.String(80), nullable=False, server_default=""))
    op.create_table(
        "photo",
        sa.Column("name", sa.String(100), primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    if op.get_bind().dialect.name != "sqlite":  # SQLite keeps texts of any length
        for name in TABLES:
            op.alter_column(name, "uid", type_=sa.String(300))
            op.alter_column(name, "why", type_=sa.Text)
