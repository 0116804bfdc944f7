"""who writes a batch, numbers that are promised, drafts, and what was taken away"""

import json

import sqlalchemy as sa
from alembic import op

revision = '0005'
down_revision = '0004'


def upgrade() -> None:
    connection = op.get_bind()
    for table in ('measurements', 'machine_log'):
        op.add_column(table, sa.Column('struck', sa.Boolean(), nullable=False, server_default=sa.false()))
    for table in ('plans', 'machines'):
        op.add_column(table, sa.Column('archived', sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column('batches', sa.Column('token', sa.String(length=40), nullable=False, server_default=''))
    op.add_column('batches', sa.Column('owner', sa.String(length=200), nullable=False, server_default=''))
    op.add_column('batches', sa.Column('seen_at', sa.Float(), nullable=True))
    op.add_column('batches', sa.Column('left_out', sa.Text(), nullable=False, server_default=''))
    taken = _single_labels(connection)
    op.create_index('uq_batches_label', 'batches', ['label'], unique=True)
    op.create_table('waiting',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('number', sa.String(length=40), nullable=False),
    sa.Column('plan_id', sa.Integer(), nullable=False),
    sa.Column('plan_version', sa.Integer(), nullable=False),
    sa.Column('lot_id', sa.Integer(), nullable=True),
    sa.Column('machine_id', sa.Integer(), nullable=True),
    sa.Column('load_kg', sa.Float(), nullable=True),
    sa.Column('place', sa.Integer(), nullable=False),
    sa.Column('state', sa.String(length=20), nullable=False),
    sa.Column('printed', sa.Boolean(), nullable=False, server_default=sa.false()),
    sa.ForeignKeyConstraint(['plan_id'], ['plans.id'], name=op.f('fk_waiting_plan_id_plans')),
    sa.ForeignKeyConstraint(['lot_id'], ['lots.id'], name=op.f('fk_waiting_lot_id_lots')),
    sa.ForeignKeyConstraint(['machine_id'], ['machines.id'], name=op.f('fk_waiting_machine_id_machines')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_waiting'))
    )
    op.create_index('uq_waiting_number', 'waiting', ['number'], unique=True)
    op.create_table('counters',
    sa.Column('name', sa.String(length=40), nullable=False),
    sa.Column('value', sa.Integer(), nullable=False),
    sa.PrimaryKeyConstraint('name', name=op.f('pk_counters'))
    )
    op.create_table('drafts',
    sa.Column('name', sa.String(length=80), nullable=False),
    sa.Column('changed_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.PrimaryKeyConstraint('name', name=op.f('pk_drafts'))
    )
    _queue_with_numbers(connection, taken)


def _single_labels(connection) -> set[str]:
    """Of several batches with one label the first keeps it; the others are told apart by a second number."""
    taken: set[str] = set()
    for key, label in connection.execute(sa.text('SELECT id, label FROM batches ORDER BY id')).fetchall():
        own, number = label, 2
        while own in taken:
            own, number = f'{label}-{number}', number + 1
        taken.add(own)
        if own != label:
            connection.execute(sa.text('UPDATE batches SET label = :own WHERE id = :key'), {'own': own, 'key': key})
    return taken


def _queue_with_numbers(connection, taken: set[str]) -> None:
    """The queue was a list of plans; each of its batches gets the number that it was going to get."""
    last = max((int(label) for label in taken if label.isdecimal() and len(label) <= 6), default=0)
    kept = connection.execute(sa.text("SELECT document FROM house WHERE name = 'queue'")).scalar()
    document = json.loads(kept) if isinstance(kept, str) else kept or {}
    plans = {
        row.id: row for row in connection.execute(sa.text('SELECT id, version, lot_id, machine_id FROM plans')).fetchall()
    }
    for entry in document.get('batches', []):
        plan = plans.get(entry.get('plan'))
        if plan is None:
            continue
        last += 1
        connection.execute(
            sa.text(
                'INSERT INTO waiting (number, plan_id, plan_version, lot_id, machine_id, load_kg, place, state) '
                "VALUES (:number, :plan, :version, :lot, :machine, :load, :place, 'waiting')"
            ),
            {'number': f'{last:04d}', 'plan': plan.id, 'version': plan.version, 'lot': plan.lot_id,
             'machine': plan.machine_id, 'load': entry.get('load_kg'), 'place': last},
        )
    connection.execute(sa.text("DELETE FROM house WHERE name = 'queue'"))
    connection.execute(sa.text("INSERT INTO counters (name, value) VALUES ('batch', :last)"), {'last': last})
