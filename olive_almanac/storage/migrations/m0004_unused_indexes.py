"""Two indexes go that nothing looks up any more: the window holds every record, and each write paid
for them.
"""

from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade():
    for name in ("trial", "entry"):
        op.drop_index(f"{name}_subject", table_name=name)
