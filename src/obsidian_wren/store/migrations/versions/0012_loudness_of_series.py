"""How loud both sounds of a blind series are, kept when it is drawn"""

import sqlalchemy as sa
from alembic import op

revision = '0012'
down_revision = '0011'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('series', sa.Column('loudness_lufs', sa.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column('series', 'loudness_lufs')
