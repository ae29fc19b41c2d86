"""The takes of a purpose of a rig are found by one index, the newest first"""

from alembic import op

revision = '0011'
down_revision = '0010'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index('ix_take_rig_id_purpose', 'take', ['rig_id', 'purpose'], if_not_exists=True)
    op.drop_index('ix_take_purpose', 'take', if_exists=True)


def downgrade() -> None:
    op.create_index('ix_take_purpose', 'take', ['purpose'])
    op.drop_index('ix_take_rig_id_purpose', 'take')
