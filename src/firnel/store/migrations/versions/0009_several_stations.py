"""stations, what they roast now, who did what; samples among the lots, lots in a blended load"""

import sqlalchemy as sa
from alembic import op

revision = '0009'
down_revision = '0008'


def upgrade() -> None:
    op.add_column('lots', sa.Column('sample', sa.String(length=30), server_default='', nullable=False))
    op.add_column('lots', sa.Column('verdict', sa.String(length=200), server_default='', nullable=False))
    if op.get_bind().dialect.name == 'sqlite':
        op.create_index('ix_batches_search', 'batches', ['started', 'id', 'search_text'], unique=False)
    op.drop_index('ix_batches_lot_id', table_name='batches')
    op.create_index('ix_batches_lot_id_started', 'batches', ['lot_id', 'started', 'status', 'load_kg'], unique=False)
    op.add_column('waiting', sa.Column('weighed', sa.Boolean(), server_default=sa.false(), nullable=False))
    op.create_table('parts',
    sa.Column('batch_id', sa.Integer(), nullable=False),
    sa.Column('lot_id', sa.Integer(), nullable=False),
    sa.Column('share', sa.Float(), nullable=False),
    sa.ForeignKeyConstraint(['batch_id'], ['batches.id'], name=op.f('fk_parts_batch_id_batches'), ondelete='CASCADE'),
    sa.ForeignKeyConstraint(['lot_id'], ['lots.id'], name=op.f('fk_parts_lot_id_lots')),
    sa.PrimaryKeyConstraint('batch_id', 'lot_id', name=op.f('pk_parts'))
    )
    op.create_index('ix_parts_lot_id', 'parts', ['lot_id'], unique=False)
    op.create_table('stations',
    sa.Column('name', sa.String(length=80), nullable=False),
    sa.Column('process', sa.String(length=200), nullable=False),
    sa.Column('who', sa.String(length=80), server_default='', nullable=False),
    sa.Column('version', sa.String(length=40), server_default='', nullable=False),
    sa.Column('seen_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('clock_off_s', sa.Float(), server_default='0', nullable=False),
    sa.PrimaryKeyConstraint('name', name=op.f('pk_stations'))
    )
    op.create_table('live',
    sa.Column('batch_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('station', sa.String(length=80), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['batch_id'], ['batches.id'], name=op.f('fk_live_batch_id_batches'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('batch_id', name=op.f('pk_live'))
    )
    op.create_table('deeds',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('station', sa.String(length=80), server_default='', nullable=False),
    sa.Column('who', sa.String(length=80), server_default='', nullable=False),
    sa.Column('what', sa.Text(), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_deeds'))
    )
    op.create_index('ix_deeds_at', 'deeds', ['at'], unique=False)
