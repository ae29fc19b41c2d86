"""A confirmed step and the residual of a fit by the words that the code uses"""

from alembic import op

revision = '0007'
down_revision = '0006'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.rename_table('settled', 'confirmed')
    _rename('left_over_rms_db', 'residual_rms_db')
    _say('settled', 'stay')


def downgrade() -> None:
    _say('stay', 'settled')
    _rename('residual_rms_db', 'left_over_rms_db')
    op.rename_table('confirmed', 'settled')


def _say(old: str, new: str) -> None:
    """The verdict of a kept gain plan."""
    op.execute(
        f"UPDATE derivation SET body = json_set(body, '$.verdict', '{new}') "
        f"WHERE json_extract(body, '$.verdict') = '{old}'"
    )


def _rename(old: str, new: str) -> None:
    op.execute(
        f"UPDATE derivation SET body = json_remove(json_set(body, '$.{new}', "
        f"json_extract(body, '$.{old}')), '$.{old}') "
        f"WHERE json_type(body, '$.{old}') IS NOT NULL"
    )
