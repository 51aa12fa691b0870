"""Devices that were let in over the local network."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "device",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("paired_at", sa.DateTime, nullable=False),
        sa.Column("reads_only", sa.Boolean, nullable=False, server_default="0"),
        sa.Column("revoked", sa.Boolean, nullable=False, server_default="0"),
        sqlite_autoincrement=True,
    )


def downgrade() -> None:
    op.drop_table("device")
