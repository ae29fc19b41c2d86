"""Microphones, interfaces and rooms as kept things; facts of takes; the computer; changes that can be undone"""

import json

import sqlalchemy as sa
from alembic import op

revision = '0002'
down_revision = '0001'
branch_labels = None
depends_on = None

_RATES = json.dumps([44100, 48000, 88200, 96000])
_BITS = json.dumps([16, 24])


def upgrade() -> None:
    op.create_table(
        'response',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('name', sa.String(length=120), nullable=False),
        sa.Column('rows', sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint('id'),
    )
    op.create_table(
        'microphone',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('name', sa.String(length=80), nullable=False),
        sa.Column('kind', sa.String(length=20), nullable=False),
        sa.Column('pattern', sa.String(length=20), nullable=False),
        sa.Column('sensitivity_mv_pa', sa.Double(), nullable=True),
        sa.Column('self_noise_dba', sa.Double(), nullable=True),
        sa.Column('max_spl_db', sa.Double(), nullable=True),
        sa.Column('needs_phantom', sa.Boolean(), nullable=True),
        sa.Column('response_id', sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(['response_id'], ['response.id']),
        sa.PrimaryKeyConstraint('id'),
    )
    op.create_table(
        'interface',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('name', sa.String(length=80), nullable=False),
        sa.Column('knob', sa.String(length=10), nullable=False),
        sa.Column('gain_low_db', sa.Double(), nullable=True),
        sa.Column('gain_high_db', sa.Double(), nullable=True),
        sa.Column('gain_step_db', sa.Double(), nullable=False),
        sa.Column('dial_low', sa.Double(), nullable=False),
        sa.Column('dial_high', sa.Double(), nullable=False),
        sa.Column('dial_step', sa.Double(), nullable=False),
        sa.Column('pad_db', sa.Double(), nullable=True),
        sa.Column('max_input_dbu', sa.Double(), nullable=True),
        sa.Column('ein_dbu', sa.Double(), nullable=True),
        sa.Column('has_phantom', sa.Boolean(), nullable=True),
        sa.Column('direct_monitoring', sa.Boolean(), nullable=True),
        sa.Column('rates_hz', sa.JSON(), nullable=False),
        sa.Column('bits', sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint('id'),
    )
    op.create_table(
        'room',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('name', sa.String(length=80), nullable=False),
        sa.Column('length_m', sa.Double(), nullable=True),
        sa.Column('width_m', sa.Double(), nullable=True),
        sa.Column('height_m', sa.Double(), nullable=True),
        sa.Column('surfaces', sa.String(length=20), nullable=True),
        sa.Column('noise_dba', sa.Double(), nullable=True),
        sa.PrimaryKeyConstraint('id'),
    )
    op.create_table(
        'computer', sa.Column('id', sa.Integer(), nullable=False), sa.Column('body', sa.JSON(), nullable=False), sa.PrimaryKeyConstraint('id')
    )
    op.create_table(
        'known_device',
        sa.Column('key', sa.String(length=80), nullable=False),
        sa.Column('own_name', sa.String(length=80), nullable=True),
        sa.Column('body', sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint('key'),
    )
    op.create_table(
        'change',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('at', sa.String(length=32), nullable=False),
        sa.Column('title', sa.String(length=160), nullable=False),
        sa.Column('undone', sa.Boolean(), nullable=False),
        sa.Column('body', sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint('id'),
    )
    op.create_table(
        'taper',
        sa.Column('interface_id', sa.Integer(), nullable=False),
        sa.Column('control', sa.String(length=20), nullable=False),
        sa.Column('body', sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(['interface_id'], ['interface.id']),
        sa.PrimaryKeyConstraint('interface_id', 'control'),
    )
    op.create_table(
        'desk',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('rig_id', sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(['rig_id'], ['rig.id']),
        sa.PrimaryKeyConstraint('id'),
    )
    _split_rigs()
    _gather_facts()


def _split_rigs() -> None:
    """Each rig of old gives a microphone, an interface and a room of its own."""
    with op.batch_alter_table('rig') as batch:
        batch.add_column(sa.Column('name', sa.String(length=80), nullable=False, server_default='My rig'))
        for column in ('microphone_id', 'interface_id', 'room_id'):
            batch.add_column(sa.Column(column, sa.Integer(), nullable=True))
        batch.add_column(sa.Column('height_cm', sa.Double(), nullable=False, server_default='0'))
        for column in ('pop_screen', 'foam', 'shock_mount', 'pad_on'):
            batch.add_column(sa.Column(column, sa.Boolean(), nullable=False, server_default='0'))
        batch.add_column(sa.Column('support', sa.String(length=20), nullable=False, server_default='desk stand'))
        batch.add_column(sa.Column('bits', sa.Integer(), nullable=False, server_default='24'))
        batch.add_column(sa.Column('device_key', sa.String(length=80), nullable=True))
        batch.add_column(sa.Column('dial', sa.Double(), nullable=True))
        batch.add_column(sa.Column('trim_db', sa.Double(), nullable=False, server_default='0'))
        batch.add_column(sa.Column('program_db', sa.Double(), nullable=False, server_default='0'))
        batch.add_column(sa.Column('phantom_on', sa.Boolean(), nullable=True))
        batch.add_column(sa.Column('aim_low_dbfs', sa.Double(), nullable=False, server_default='-15'))
        batch.add_column(sa.Column('aim_high_dbfs', sa.Double(), nullable=False, server_default='-10'))
        batch.add_column(sa.Column('things_off', sa.JSON(), nullable=False, server_default='[]'))
    bind = op.get_bind()
    for rig in bind.execute(sa.text('SELECT * FROM rig')).mappings().all():
        made = {}
        made['microphone_id'] = bind.execute(
            sa.text('INSERT INTO microphone (name, kind, pattern, sensitivity_mv_pa) VALUES (:n, :k, :p, :s)'),
            {'n': rig['microphone_name'], 'k': rig['microphone_kind'], 'p': rig['pattern'], 's': rig['sensitivity_mv_pa']},
        ).lastrowid
        made['interface_id'] = bind.execute(
            sa.text(
                'INSERT INTO interface (name, knob, gain_step_db, dial_low, dial_high, dial_step, max_input_dbu, rates_hz, bits) '
                "VALUES (:n, 'dB', 1, 0, 10, 0.25, :m, :r, :b)"
            ),
            {'n': rig['interface_name'], 'm': rig['max_input_dbu'], 'r': _RATES, 'b': _BITS},
        ).lastrowid
        made['room_id'] = bind.execute(sa.text('INSERT INTO room (name) VALUES (:n)'), {'n': rig['room_name']}).lastrowid
        bind.execute(
            sa.text('UPDATE rig SET name = :name, microphone_id = :microphone_id, interface_id = :interface_id, room_id = :room_id WHERE id = :id'),
            {**made, 'id': rig['id'], 'name': rig['room_name']},
        )
        bind.execute(sa.text('INSERT INTO desk (id, rig_id) SELECT 1, :id WHERE NOT EXISTS (SELECT 1 FROM desk)'), {'id': rig['id']})
    with op.batch_alter_table('rig') as batch:
        for column in ('room_name', 'microphone_name', 'microphone_kind', 'pattern', 'interface_name', 'sensitivity_mv_pa', 'max_input_dbu'):
            batch.drop_column(column)
        for column in ('microphone_id', 'interface_id', 'room_id'):
            batch.alter_column(column, existing_type=sa.Integer(), nullable=False)
            batch.create_foreign_key(f'fk_rig_{column}', column.removesuffix('_id'), [column], ['id'])


def _gather_facts() -> None:
    """Gain and placement of takes become facts beside the others, which are those of the rig."""
    with op.batch_alter_table('take') as batch:
        batch.add_column(sa.Column('facts', sa.JSON(), nullable=False, server_default='{}'))
        batch.add_column(sa.Column('channels', sa.JSON(), nullable=True))
        batch.add_column(sa.Column('discarded', sa.Boolean(), nullable=False, server_default='0'))
        batch.add_column(sa.Column('ended', sa.String(), nullable=True))
    bind = op.get_bind()
    for take in bind.execute(sa.text('SELECT id, gain_db, distance_cm, angle_deg FROM take')).mappings().all():
        facts = {name: take[name] for name in ('gain_db', 'distance_cm', 'angle_deg')}
        bind.execute(sa.text('UPDATE take SET facts = :facts WHERE id = :id'), {'facts': json.dumps(facts), 'id': take['id']})
    # What derivations used of takes was kept under other names, and readings say more now: takes without a reading are read again at
    # the next start, and what stands on them is derived again.
    bind.execute(sa.text("UPDATE derivation SET used = '{}'"))
    bind.execute(sa.text("DELETE FROM derivation WHERE step IN ('gain', 'diagram')"))
    bind.execute(sa.text('DELETE FROM reading'))
    with op.batch_alter_table('take') as batch:
        for column in ('gain_db', 'distance_cm', 'angle_deg'):
            batch.drop_column(column)


def downgrade() -> None:
    raise NotImplementedError('Kept things cannot be folded back into one rig; open a copy of the folder made before.')
