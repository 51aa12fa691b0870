"""The drawer: own parts with quantities, prices and what was measured on them."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "drawer",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("part_class", sa.String(80), nullable=False, index=True),
        sa.Column("quantity", sa.Integer, nullable=False, server_default="0"),
        sa.Column("price", sa.Float),
        sa.Column("measured", sa.String(400), nullable=False, server_default=""),
        sa.Column("sold_out", sa.Boolean, nullable=False, server_default=sa.false()),
        sqlite_autoincrement=True,
    )


def downgrade() -> None:
    op.drop_table("drawer")
