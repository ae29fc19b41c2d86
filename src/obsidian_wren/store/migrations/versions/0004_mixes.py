"""A mix for each listener: sources, destinations, clips, proofs of every path, recordings by track"""

import sqlalchemy as sa
from alembic import op

revision = '0004'
down_revision = '0003'
branch_labels = None
depends_on = None



def upgrade() -> None:
    bind = op.get_bind()
    picked = bind.execute(sa.text("SELECT picks FROM destination WHERE name = 'Editor call'")).scalar()
    recordings = bind.execute(sa.text('SELECT * FROM recording')).mappings().all()
    # Old proofs say less than a proof says now; the marker is sent again in two seconds.
    for table in ('proof', 'destination', 'recording'):
        op.drop_table(table)
    op.create_table(
        'destination',
        sa.Column('key', sa.String(length=40), nullable=False),
        sa.Column('name', sa.String(length=80), nullable=False),
        sa.Column('kind', sa.String(length=20), nullable=False),
        sa.Column('place', sa.Integer(), nullable=False),
        sa.Column('on', sa.Boolean(), nullable=False),
        sa.Column('picks', sa.String(length=120), nullable=True),
        sa.Column('settings', sa.JSON(), nullable=False),
        sa.Column('sends', sa.JSON(), nullable=True),
        sa.Column('pins', sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint('key'),
    )
    op.create_table(
        'source',
        sa.Column('key', sa.String(length=40), nullable=False),
        sa.Column('name', sa.String(length=80), nullable=False),
        sa.Column('kind', sa.String(length=20), nullable=False),
        sa.Column('place', sa.Integer(), nullable=False),
        sa.Column('on', sa.Boolean(), nullable=False),
        sa.Column('settings', sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint('key'),
    )
    op.create_table(
        'clip',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('name', sa.String(length=80), nullable=False),
        sa.Column('sha256', sa.String(length=64), nullable=False),
        sa.Column('rate_hz', sa.Integer(), nullable=False),
        sa.Column('frames', sa.Integer(), nullable=False),
        sa.Column('start_s', sa.Float(), nullable=False),
        sa.Column('end_s', sa.Float(), nullable=False),
        sa.Column('lufs', sa.Float(), nullable=True),
        sa.Column('key', sa.String(length=1), nullable=True),
        sa.Column('place', sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint('id'),
    )
    op.create_table(
        'proof',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('destination', sa.String(length=40), nullable=False),
        sa.Column('picks', sa.String(length=120), nullable=True),
        sa.Column('good', sa.Boolean(), nullable=False),
        sa.Column('body', sa.JSON(), nullable=False),
        sa.Column('at', sa.String(length=32), nullable=False),
        sa.ForeignKeyConstraint(['destination'], ['destination.key']),
        sa.PrimaryKeyConstraint('id'),
    )
    op.create_table(
        'live_wish',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('live', sa.Boolean(), nullable=False),
        sa.Column('block_ms', sa.Float(), nullable=True),
        sa.Column('case', sa.String(length=20), nullable=True),
        sa.Column('tracks', sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint('id'),
    )
    recording = op.create_table(
        'recording',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('file_name', sa.String(length=120), nullable=False),
        sa.Column('title', sa.String(length=120), nullable=False),
        sa.Column('session', sa.String(length=40), nullable=False),
        sa.Column('track', sa.String(length=40), nullable=False),
        sa.Column('part', sa.Integer(), nullable=False),
        sa.Column('channels', sa.Integer(), nullable=False),
        sa.Column('rate_hz', sa.Integer(), nullable=False),
        sa.Column('frames', sa.Integer(), nullable=False),
        sa.Column('loudness_lufs', sa.Float(), nullable=True),
        sa.Column('true_peak_dbtp', sa.Float(), nullable=True),
        sa.Column('waveform', sa.JSON(), nullable=False),
        sa.Column('discarded', sa.Boolean(), nullable=False),
        sa.Column('at', sa.String(length=32), nullable=False),
        sa.PrimaryKeyConstraint('id'),
    )
    op.create_index('ix_recording_session', 'recording', ['session'])
    if recordings:
        op.bulk_insert(
            recording,
            [
                {
                    **row, 'title': row['file_name'].rpartition('.')[0], 'session': row['file_name'].rpartition('.')[0][:40],
                    'track': 'treated', 'part': 1, 'channels': 1, 'waveform': [], 'discarded': False,
                }
                for row in recordings
            ],
        )
    # What a call picked is kept where it still is an input; the one feed of old became a feed for each listener.
    if picked:
        bind.execute(
            sa.text(
                'INSERT INTO destination (key, name, kind, place, "on", picks, settings, sends, pins) '
                "VALUES ('call', 'Editor call', 'call', 0, 1, :picks, '{}', NULL, '{}')"
            ),
            {'picks': 'Wren: call' if picked == 'Wren: voice' else picked},
        )
    # Changes that name the listeners as they were cannot be put back.
    bind.execute(sa.text("DELETE FROM change WHERE body LIKE '%destination/%'"))


def downgrade() -> None:
    raise NotImplementedError('Mixes cannot be folded into one feed; open a copy of the folder made before.')
