"""The bench: physical units of a build, and what was read on them."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "unit",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("build_id", sa.Integer, sa.ForeignKey("build.id"), nullable=False, index=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("created_at", sa.DateTime, nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "reading",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("unit_id", sa.Integer, sa.ForeignKey("unit.id"), nullable=False, index=True),
        sa.Column("step", sa.String(120), nullable=False),
        sa.Column("value", sa.Float),
        sa.Column("reason", sa.String(400), nullable=False, server_default=""),
        sa.Column("part_class", sa.String(80), nullable=False, server_default=""),
        sa.Column("at", sa.DateTime, nullable=False),
        sqlite_autoincrement=True,
    )


def downgrade() -> None:
    op.drop_table("reading")
    op.drop_table("unit")
