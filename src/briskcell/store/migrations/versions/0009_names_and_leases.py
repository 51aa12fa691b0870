"""Random names for what a restore could hand out again, the shelf's epoch, and leases of what is begun outside the store."""

import secrets

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

NAMED = ("build", "revision", "unit", "run", "device")


def upgrade() -> None:
    for table in NAMED:
        op.add_column(table, sa.Column("key", sa.String(16), nullable=False, server_default=""))
        op.execute(f"UPDATE {table} SET key = lower(hex(randomblob(8)))")
        op.create_index(f"ix_{table}_key", table, ["key"], unique=True)
    op.add_column("device", sa.Column("may_load", sa.Boolean, nullable=False, server_default="0"))
    op.create_table("shelf", sa.Column("id", sa.Integer, primary_key=True), sa.Column("epoch", sa.String(16), nullable=False))
    op.execute(sa.text("INSERT INTO shelf (id, epoch) VALUES (1, :epoch)").bindparams(epoch=secrets.token_hex(8)))
    op.create_table(
        "lease",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("kind", sa.String(20), nullable=False, index=True),
        sa.Column("holder", sa.String(16), nullable=False),
        sa.Column("about", sa.JSON, nullable=False),
        sa.Column("began_at", sa.DateTime, nullable=False),
        sqlite_autoincrement=True,
    )


def downgrade() -> None:
    op.drop_table("lease")
    op.drop_table("shelf")
    op.drop_column("device", "may_load")
    for table in NAMED:
        op.drop_index(f"ix_{table}_key", table)
        op.drop_column(table, "key")
