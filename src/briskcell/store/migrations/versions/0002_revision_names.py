"""A revision may carry a name."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("revision") as table:
        table.add_column(sa.Column("name", sa.String(120)))


def downgrade() -> None:
    with op.batch_alter_table("revision") as table:
        table.drop_column("name")
