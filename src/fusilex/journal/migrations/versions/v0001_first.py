"""Batches, events and attachments."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "batch",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("opened_at", sa.String(32), nullable=False),
    )
    op.create_table(
        "event",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("batch_id", sa.Integer, sa.ForeignKey("batch.id"), nullable=False, index=True),
        sa.Column("deed", sa.String(36), nullable=False),
        sa.Column("at", sa.String(32), nullable=False),
        sa.Column("who", sa.String(60), nullable=False),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("body", sa.Text, nullable=False),
    )
    op.create_table(
        "attachment",
        sa.Column("sha256", sa.String(64), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )


def downgrade() -> None:
    for table in ("attachment", "event", "batch"):
        op.drop_table(table)
