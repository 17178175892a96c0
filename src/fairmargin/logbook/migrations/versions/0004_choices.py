"""What is chosen once for a whole logbook."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """Add the table; nothing is chosen yet."""
    op.create_table(
        "choice",
        sa.Column("name", sa.Text, primary_key=True),
        sa.Column("value", sa.Text, nullable=False),
        sa.Column("value_check", sa.Text, nullable=False),
    )


def downgrade() -> None:
    """Remove it again."""
    op.drop_table("choice")
