"""Redo by a pointer, what the shelf shows beside each revision, and long work that outlives the program."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("revision") as table:
        table.add_column(sa.Column("next_id", sa.Integer))
        table.add_column(sa.Column("title", sa.String(120), nullable=False, server_default=""))
        table.add_column(sa.Column("summary", sa.JSON))
    # Along the line of each build, from its newest revision back: what is kept beside it is no redo.
    op.execute(
        "WITH RECURSIVE line(id, parent) AS (SELECT r.id, r.parent_id FROM build b JOIN revision r ON r.id = b.tip_id "
        "UNION ALL SELECT r.id, r.parent_id FROM revision r JOIN line ON r.id = line.parent) "
        "UPDATE revision SET next_id = line.id FROM line WHERE revision.id = line.parent"
    )
    op.execute("UPDATE revision SET title = coalesce(json_extract(document, '$.name'), '') WHERE json_valid(document)")
    op.create_table(
        "job",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("build_id", sa.Integer, sa.ForeignKey("build.id"), nullable=False, index=True),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("share", sa.Float, nullable=False, server_default="0"),
        sa.Column("created_at", sa.DateTime, nullable=False),
        sa.Column("result", sa.LargeBinary),
        sa.Column("words", sa.String(400), nullable=False, server_default=""),
        sqlite_autoincrement=True,
    )


def downgrade() -> None:
    op.drop_table("job")
    with op.batch_alter_table("revision") as table:
        for name in ("next_id", "title", "summary"):
            table.drop_column(name)
