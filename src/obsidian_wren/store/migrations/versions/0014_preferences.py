"""What a person wants of the voice is called preferences, also in what can be undone"""

import json

import sqlalchemy as sa
from alembic import op

revision = '0014'
down_revision = '0013'
branch_labels = None
depends_on = None


def upgrade() -> None:
    _rename('wishes', 'preferences')


def downgrade() -> None:
    _rename('preferences', 'wishes')


def _rename(old: str, new: str) -> None:
    op.execute(f'ALTER TABLE rig RENAME COLUMN {old} TO {new}')
    tables = op.get_bind()
    for row, body in tables.execute(sa.text('SELECT id, body FROM change')).all():
        changed = {
            key: [_renamed(state, old, new) for state in states] if key.startswith('rig/') else states
            for key, states in json.loads(body).items()
        }
        tables.execute(
            sa.text('UPDATE change SET body = :body WHERE id = :row'),
            {'body': json.dumps(changed), 'row': row},
        )


def _renamed(state: object, old: str, new: str) -> object:
    if not isinstance(state, dict):
        return state
    return {new if name == old else name: value for name, value in state.items()}
