"""Every stage of the voice chain: switches, order, wishes, imported targets"""

import sqlalchemy as sa
from alembic import op

revision = '0003'
down_revision = '0002'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'target',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('name', sa.String(length=120), nullable=False),
        sa.Column('rows', sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint('id'),
    )
    op.create_table(
        'stage',
        sa.Column('rig_id', sa.Integer(), nullable=False),
        sa.Column('kind', sa.String(length=20), nullable=False),
        sa.Column('runs', sa.Boolean(), nullable=False),
        sa.Column('derived', sa.Boolean(), nullable=False),
        sa.Column('pinned', sa.Boolean(), nullable=False),
        sa.Column('because', sa.String(), nullable=False),
        sa.Column('matter', sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(['rig_id'], ['rig.id']),
        sa.PrimaryKeyConstraint('rig_id', 'kind'),
    )
    with op.batch_alter_table('rig') as batch:
        batch.add_column(sa.Column('wishes', sa.JSON(), nullable=False, server_default='{}'))
        batch.add_column(sa.Column('stage_order', sa.JSON(), nullable=False, server_default='[]'))
    # Readings say more now, and the chain has stages that were never derived: takes are read again at the next start, and the chain
    # is derived from them. Pins and fitted bands stay.
    bind = op.get_bind()
    bind.execute(sa.text('DELETE FROM reading'))
    bind.execute(sa.text("DELETE FROM derivation WHERE step IN ('send', 'diagram', 'noise-profile')"))


def downgrade() -> None:
    raise NotImplementedError('Stages that an older version does not know cannot be folded away; open a copy of the folder made before.')
