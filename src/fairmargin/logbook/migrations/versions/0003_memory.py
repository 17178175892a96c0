"""What the list groups and searches by, what is put aside, what studies remember for each other, practice."""

import sqlalchemy as sa
from alembic import op

from fairmargin.logbook.about import about_of_body
from fairmargin.logbook.schema import check_of

revision = "0003"
down_revision = "0002"

#: As they were at the revision before, and as they are from this one on.
BEFORE = ("id", "position", "title", "summary", "created_at", "changed_at", "removed_at", "logged")
ROW_COLUMNS = (*BEFORE, "archived_at", "about")


def upgrade() -> None:
    """Add the columns and fill them from what the file holds; a row that was damaged stays so."""
    with op.batch_alter_table("study") as table:
        table.add_column(sa.Column("archived_at", sa.Text))
        table.add_column(sa.Column("about", sa.Text, nullable=False, server_default="{}"))
        table.add_column(sa.Column("memory", sa.Text, nullable=False, server_default=""))
    op.create_table(
        "practice",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("body", sa.Text, nullable=False),
        sa.Column("body_check", sa.Text, nullable=False),
    )
    here = op.get_bind()
    columns = ", ".join((*BEFORE, "body", "body_check", "row_check"))
    for row in here.execute(sa.text(f"SELECT {columns} FROM study")).mappings().all():
        about = about_of_body(row["body"]) if row["body_check"] == check_of(row["body"]) else "{}"
        whole = row["row_check"] == check_of(*(row[name] for name in BEFORE))
        filled = {**row, "archived_at": None, "about": about}
        here.execute(
            sa.text("UPDATE study SET about = :a, row_check = :r WHERE id = :i"),
            {"a": about, "r": check_of(*(filled[n] for n in ROW_COLUMNS)) if whole else "", "i": row["id"]},
        )


def downgrade() -> None:
    """Remove them again."""
    op.drop_table("practice")
    with op.batch_alter_table("study") as table:
        for name in ("archived_at", "about", "memory"):
            table.drop_column(name)
