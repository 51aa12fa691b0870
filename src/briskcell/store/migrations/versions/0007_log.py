"""The log of a unit: what happened to it, with photographs, and how meter logs were laid out."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "entry",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("unit_id", sa.Integer, sa.ForeignKey("unit.id"), nullable=False, index=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("words", sa.String(2000), nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.Column("about", sa.JSON, nullable=False),
        sa.Column("file", sa.String(80), nullable=False, server_default=""),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "layout",
        sa.Column("signature", sa.String(400), primary_key=True),
        sa.Column("layout", sa.JSON, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("layout")
    op.drop_table("entry")
