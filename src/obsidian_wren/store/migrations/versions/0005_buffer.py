"""What waits at each listener beyond a block, where a person holds it"""

import sqlalchemy as sa
from alembic import op

revision = '0005'
down_revision = '0004'
branch_labels = None
depends_on = None



def upgrade() -> None:
    op.add_column('live_wish', sa.Column('buffer_ms', sa.Double(), nullable=True))


def downgrade() -> None:
    op.drop_column('live_wish', 'buffer_ms')
