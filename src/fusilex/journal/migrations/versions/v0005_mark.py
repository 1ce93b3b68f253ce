"""A file says that it is a journal, and the workshop's stream is one by its name.

From this version on a file that was closed has nothing beside it and says so in its header, which is how a missing
``-wal`` is noticed: older files never said.
"""

import sqlalchemy as sa
from alembic import op

from fusilex.journal.schema import APPLICATION

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    if op.get_bind().dialect.name == "sqlite":
        op.execute(f"PRAGMA application_id = {APPLICATION}")
    there = sa.text("SELECT count(*) FROM batch WHERE kind = 'workshop'")
    if op.get_bind().execute(there).scalar():
        op.execute("INSERT INTO name (scope, name) VALUES ('stream', 'workshop')")


def downgrade() -> None:
    op.execute("DELETE FROM name WHERE scope = 'stream'")
