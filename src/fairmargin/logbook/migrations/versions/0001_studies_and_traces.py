"""Studies and their traces."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    """Make the first tables."""
    op.create_table(
        "study",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("position", sa.Float, nullable=False),
        sa.Column("title", sa.Text, nullable=False),
        sa.Column("body", sa.Text, nullable=False),
        sa.Column("summary", sa.Text, nullable=False, server_default=""),
        sa.Column("created_at", sa.Text, nullable=False),
        sa.Column("changed_at", sa.Text, nullable=False),
        sa.Column("removed_at", sa.Text),
    )
    op.create_table(
        "trace",
        sa.Column("study_id", sa.Integer, sa.ForeignKey("study.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("leg", sa.Text, primary_key=True),
        sa.Column("samples", sa.LargeBinary, nullable=False),
    )


def downgrade() -> None:
    """Remove them again."""
    op.drop_table("trace")
    op.drop_table("study")
