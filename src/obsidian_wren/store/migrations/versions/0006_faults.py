"""Why a take cannot be used, as a code too; why a clip or a recording cannot sound"""

import sqlalchemy as sa
from alembic import op

revision = '0006'
down_revision = '0005'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('take', sa.Column('fault_code', sa.String(length=40), nullable=True))
    op.add_column('clip', sa.Column('fault', sa.String(), nullable=True))
    op.add_column('recording', sa.Column('size_bytes', sa.Integer(), nullable=True))
    op.add_column('recording', sa.Column('fault', sa.String(), nullable=True))


def downgrade() -> None:
    op.drop_column('recording', 'fault')
    op.drop_column('recording', 'size_bytes')
    op.drop_column('clip', 'fault')
    op.drop_column('take', 'fault_code')
