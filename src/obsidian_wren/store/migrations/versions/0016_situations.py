"""Situations: named sets of decisions over one calibration"""

import sqlalchemy as sa
from alembic import op

revision = '0016'
down_revision = '0015'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'situation',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('rig_id', sa.Integer(), nullable=False),
        sa.Column('name', sa.String(length=40), nullable=False),
        sa.Column('decisions', sa.JSON(), nullable=False),
        sa.Column('follows', sa.String(length=40), nullable=True),
        sa.Column('sha256', sa.String(length=64), nullable=True),
        sa.Column('basis', sa.String(length=64), nullable=True),
        sa.Column('mixes', sa.JSON(), nullable=True),
        sa.ForeignKeyConstraint(['rig_id'], ['rig.id']),
        sa.ForeignKeyConstraint(['sha256'], ['kept_calibration.sha256']),
        sa.PrimaryKeyConstraint('id'),
    )
    op.create_index(op.f('ix_situation_rig_id'), 'situation', ['rig_id'], unique=False)


def downgrade() -> None:
    op.drop_index(op.f('ix_situation_rig_id'), table_name='situation')
    op.drop_table('situation')
