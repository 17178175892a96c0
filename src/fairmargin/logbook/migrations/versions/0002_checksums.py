"""A checksum for every study and trace, the legs that have one, and how many studies there are."""

import sqlalchemy as sa
from alembic import op

from fairmargin.logbook.schema import check_of

revision = "0002"
down_revision = "0001"

#: As they were at this revision; later ones have columns that are not here yet.
ROW_COLUMNS = ("id", "position", "title", "summary", "created_at", "changed_at", "removed_at", "logged")


def upgrade() -> None:
    """Add the columns and fill them from what the file holds."""
    with op.batch_alter_table("study") as table:
        for name in ("logged", "body_check", "row_check"):
            table.add_column(sa.Column(name, sa.Text, nullable=False, server_default=""))
    with op.batch_alter_table("trace") as table:
        table.add_column(sa.Column("samples_check", sa.Text, nullable=False, server_default=""))
    op.create_table(
        "book", sa.Column("id", sa.Integer, primary_key=True), sa.Column("studies", sa.Integer, nullable=False)
    )
    here = op.get_bind()
    logged: dict[int, list[str]] = {}
    for study_id, leg in here.execute(sa.text("SELECT study_id, leg FROM trace ORDER BY study_id, leg")).all():
        samples = here.execute(
            sa.text("SELECT samples FROM trace WHERE study_id = :s AND leg = :l"), {"s": study_id, "l": leg}
        ).scalar()
        here.execute(
            sa.text("UPDATE trace SET samples_check = :c WHERE study_id = :s AND leg = :l"),
            {"c": check_of(study_id, leg, samples), "s": study_id, "l": leg},
        )
        logged.setdefault(study_id, []).append(leg)
    columns = ", ".join((*(c for c in ROW_COLUMNS if c != "logged"), "body"))
    rows = here.execute(sa.text(f"SELECT {columns} FROM study")).mappings().all()
    for row in rows:
        whole = {**row, "logged": "\n".join(sorted(logged.get(row["id"], [])))}
        here.execute(
            sa.text("UPDATE study SET logged = :g, body_check = :b, row_check = :r WHERE id = :i"),
            {
                "g": whole["logged"],
                "b": check_of(row["body"]),
                "r": check_of(*(whole[name] for name in ROW_COLUMNS)),
                "i": row["id"],
            },
        )
    here.execute(sa.text("INSERT INTO book (id, studies) VALUES (1, :n)"), {"n": len(rows)})


def downgrade() -> None:
    """Remove them again."""
    op.drop_table("book")
    with op.batch_alter_table("trace") as table:
        table.drop_column("samples_check")
    with op.batch_alter_table("study") as table:
        for name in ("logged", "body_check", "row_check"):
            table.drop_column(name)
