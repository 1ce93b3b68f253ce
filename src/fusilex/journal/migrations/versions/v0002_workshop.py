"""A stream for the workshop beside those of the batches."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.add_column("batch", sa.Column("kind", sa.String(16), nullable=False, server_default="batch"))


def downgrade() -> None:
    op.drop_column("batch", "kind")
