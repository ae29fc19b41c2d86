"""Blind series"""

import sqlalchemy as sa
from alembic import op

revision = '0009'
down_revision = '0008'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'series',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('rig_id', sa.Integer(), sa.ForeignKey('rig.id'), nullable=False),
        sa.Column('kind', sa.String(10), nullable=False),
        sa.Column('first', sa.String(40), nullable=False),
        sa.Column('second', sa.String(40), nullable=False),
        sa.Column('take_sha256', sa.String(64), nullable=False),
        sa.Column('from_s', sa.Float(), nullable=False),
        sa.Column('saved_ms', sa.Float(), nullable=False),
        sa.Column('hidden_order', sa.JSON(), nullable=False),
        sa.Column('answers', sa.JSON(), nullable=False),
        sa.Column('ended', sa.Boolean(), nullable=False),
        sa.Column('discarded', sa.Boolean(), nullable=False),
        sa.Column('at', sa.String(32), nullable=False),
    )
    op.create_index('ix_series_rig_id', 'series', ['rig_id'])


def downgrade() -> None:
    op.drop_table('series')
