"""At which step each thing was done: it belongs to the entry now that where eyes are is no longer recorded."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("event", sa.Column("place", sa.String(40), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("event", "place")
