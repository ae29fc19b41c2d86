"""The channel of a rig's microphone, names of feeds, and whether feeds stay when the program ends"""

import sqlalchemy as sa
from alembic import op

revision = '0008'
down_revision = '0007'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('rig', sa.Column('channel', sa.Integer(), nullable=True))
    op.add_column('destination', sa.Column('title', sa.String(80), nullable=True))
    op.add_column('destination', sa.Column('plays', sa.String(80), nullable=True))
    op.add_column(
        'live_wish',
        sa.Column('feeds_stay', sa.Boolean(), nullable=False, server_default=sa.false()),
    )


def downgrade() -> None:
    op.drop_column('live_wish', 'feeds_stay')
    op.drop_column('destination', 'plays')
    op.drop_column('destination', 'title')
    op.drop_column('rig', 'channel')
