"""The bench: instruments, measured runs, and what is noted with a reading."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("reading", sa.Column("note", sa.JSON))
    op.create_table(
        "instrument",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("address", sa.String(160), nullable=False),
        sa.Column("description", sa.String(4000), nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "run",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("unit_id", sa.Integer, sa.ForeignKey("unit.id"), nullable=False, index=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("title", sa.String(120), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("words", sa.String(400), nullable=False, server_default=""),
        sa.Column("began_at", sa.DateTime, nullable=False),
        sa.Column("about", sa.JSON, nullable=False),
        sqlite_autoincrement=True,
    )


def downgrade() -> None:
    op.drop_table("run")
    op.drop_table("instrument")
    op.drop_column("reading", "note")
