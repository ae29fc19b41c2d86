"""Versions of a calibration, a file that was brought in, muted feeds, controllers"""

import sqlalchemy as sa
from alembic import op

revision = '0010'
down_revision = '0009'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'kept_calibration',
        sa.Column('sha256', sa.String(64), primary_key=True),
        sa.Column('file', sa.JSON(), nullable=False),
        sa.Column('rows', sa.JSON(), nullable=False),
    )
    op.create_table(
        'version',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('rig_id', sa.Integer(), sa.ForeignKey('rig.id'), nullable=False),
        sa.Column('number', sa.Integer(), nullable=False),
        sa.Column('name', sa.String(80), nullable=False),
        sa.Column('note', sa.String(1000), nullable=False),
        sa.Column('step', sa.String(20), nullable=False),
        sa.Column('sha256', sa.String(64), sa.ForeignKey('kept_calibration.sha256'), nullable=False),
        sa.Column('fingerprint', sa.String(16), nullable=False),
        sa.Column('discarded', sa.Boolean(), nullable=False),
        sa.Column('at', sa.String(32), nullable=False),
    )
    op.create_index('ix_version_rig_id', 'version', ['rig_id'])
    op.create_table(
        'brought_file',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('name', sa.String(120), nullable=False),
        sa.Column('file', sa.JSON(), nullable=False),
        sa.Column('at', sa.String(32), nullable=False),
    )
    op.create_table(
        'control_binding',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('device', sa.String(120), nullable=False),
        sa.Column('kind', sa.String(10), nullable=False),
        sa.Column('channel', sa.Integer(), nullable=False),
        sa.Column('number', sa.Integer(), nullable=False),
        sa.Column('action', sa.JSON(), nullable=False),
    )
    with op.batch_alter_table('live_wish') as batch:
        batch.add_column(sa.Column('muting', sa.JSON(), nullable=False, server_default='{}'))
    with op.batch_alter_table('series') as batch:
        batch.add_column(sa.Column('names', sa.JSON(), nullable=False, server_default='[]'))


def downgrade() -> None:
    with op.batch_alter_table('live_wish') as batch:
        batch.drop_column('muting')
    with op.batch_alter_table('series') as batch:
        batch.drop_column('names')
    op.drop_table('control_binding')
    op.drop_table('brought_file')
    op.drop_table('version')
    op.drop_table('kept_calibration')
