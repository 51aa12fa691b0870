"""Builds and their revisions."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "build",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("created_at", sa.DateTime, nullable=False),
        sa.Column("removed_at", sa.DateTime),
        sa.Column("head_id", sa.Integer, sa.ForeignKey("revision.id", name="fk_build_head")),
        sa.Column("tip_id", sa.Integer, sa.ForeignKey("revision.id", name="fk_build_tip")),
        sa.Column("baseline_id", sa.Integer, sa.ForeignKey("revision.id", name="fk_build_baseline")),
    )
    op.create_table(
        "revision",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("build_id", sa.Integer, sa.ForeignKey("build.id"), nullable=False, index=True),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("revision.id")),
        sa.Column("created_at", sa.DateTime, nullable=False),
        sa.Column("words", sa.String(400), nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("revision")
    op.drop_table("build")
