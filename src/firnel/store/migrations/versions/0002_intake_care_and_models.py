"""intake measurements, care of the machines, fitted models"""

import sqlalchemy as sa
from alembic import op

revision = '0002'
down_revision = '0001'


def upgrade() -> None:
    op.create_table('measurements',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('lot_id', sa.Integer(), nullable=False),
    sa.Column('taken_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('kind', sa.String(length=30), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['lot_id'], ['lots.id'], name=op.f('fk_measurements_lot_id_lots'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_measurements'))
    )
    op.create_index(op.f('ix_measurements_lot_id'), 'measurements', ['lot_id'])
    op.create_table('machine_models',
    sa.Column('machine_id', sa.Integer(), nullable=False),
    sa.Column('made_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['machine_id'], ['machines.id'], name=op.f('fk_machine_models_machine_id_machines'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('machine_id', name=op.f('pk_machine_models'))
    )
    op.create_table('machine_log',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('machine_id', sa.Integer(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('kind', sa.String(length=30), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['machine_id'], ['machines.id'], name=op.f('fk_machine_log_machine_id_machines'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_machine_log'))
    )
    op.create_index(op.f('ix_machine_log_machine_id'), 'machine_log', ['machine_id'])
    op.create_table('house',
    sa.Column('name', sa.String(length=60), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.PrimaryKeyConstraint('name', name=op.f('pk_house'))
    )
    op.add_column('lots', sa.Column('counted_at', sa.DateTime(timezone=True), nullable=True))
    op.add_column('lots', sa.Column('bags', sa.Integer(), nullable=True))
    op.add_column('lots', sa.Column('price_per_kg', sa.Float(), nullable=True))
    op.add_column('lots', sa.Column('water_activity', sa.Float(), nullable=True))
    op.add_column('lots', sa.Column('mean_mm', sa.Float(), nullable=True))
    op.add_column('lots', sa.Column('replaces', sa.String(length=200), nullable=False, server_default=''))
    op.add_column('lots', sa.Column('archived', sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column('machines', sa.Column('details', sa.JSON(), nullable=False, server_default='{}'))
    # What was on hand before counts as counted now: batches from here on are taken off it.
    op.execute(sa.text('UPDATE lots SET counted_at = CURRENT_TIMESTAMP WHERE on_hand_kg IS NOT NULL'))
