"""Whether what a loudspeaker plays is taken out, where a person holds it"""

import sqlalchemy as sa
from alembic import op

revision = '0015'
down_revision = '0014'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('live_wish', sa.Column('loudspeaker', sa.Boolean(), nullable=True))


def downgrade() -> None:
    op.drop_column('live_wish', 'loudspeaker')
