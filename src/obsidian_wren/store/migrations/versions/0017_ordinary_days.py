"""Ordinary days: what the watch learns as usual; and whether it watches"""

import sqlalchemy as sa
from alembic import op

revision = '0017'
down_revision = '0016'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'ordinary_day',
        sa.Column('rig_id', sa.Integer(), nullable=False),
        sa.Column('day', sa.String(length=10), nullable=False),
        sa.Column('basis', sa.String(length=64), nullable=False),
        sa.Column('numbers', sa.JSON(), nullable=False),
        sa.Column('talk_s', sa.Float(), nullable=False),
        sa.ForeignKeyConstraint(['rig_id'], ['rig.id']),
        sa.PrimaryKeyConstraint('rig_id', 'day'),
    )
    op.add_column(
        'live_wish', sa.Column('watches', sa.Boolean(), nullable=False, server_default=sa.true())
    )


def downgrade() -> None:
    op.drop_column('live_wish', 'watches')
    op.drop_table('ordinary_day')
