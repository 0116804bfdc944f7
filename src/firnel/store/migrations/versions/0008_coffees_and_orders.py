"""coffees, orders, and what was packed"""

import sqlalchemy as sa
from alembic import op

revision = '0008'
down_revision = '0007'


def upgrade() -> None:
    op.create_table('coffees',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(length=200), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.Column('since', sa.DateTime(timezone=True), nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.Column('archived', sa.Boolean(), server_default=sa.false(), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_coffees')),
    sa.UniqueConstraint('name', name=op.f('uq_coffees_name'))
    )
    op.create_table('orders',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('coffee_id', sa.Integer(), nullable=False),
    sa.Column('kg', sa.Float(), nullable=False),
    sa.Column('due', sa.Date(), nullable=False),
    sa.Column('customer', sa.String(length=200), server_default='', nullable=False),
    sa.Column('packs', sa.JSON(), nullable=False),
    sa.Column('every_days', sa.Integer(), server_default='0', nullable=False),
    sa.Column('state', sa.String(length=20), nullable=False),
    sa.Column('entered_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.ForeignKeyConstraint(['coffee_id'], ['coffees.id'], name=op.f('fk_orders_coffee_id_coffees')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_orders'))
    )
    op.create_index('ix_orders_coffee_id', 'orders', ['coffee_id'], unique=False)
    op.create_index('ix_orders_state_due', 'orders', ['state', 'due'], unique=False)
    op.create_table('packed',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('batch_id', sa.Integer(), nullable=False),
    sa.Column('order_id', sa.Integer(), nullable=True),
    sa.Column('kg', sa.Float(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.ForeignKeyConstraint(['batch_id'], ['batches.id'], name=op.f('fk_packed_batch_id_batches'), ondelete='CASCADE'),
    sa.ForeignKeyConstraint(['order_id'], ['orders.id'], name=op.f('fk_packed_order_id_orders')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_packed'))
    )
    op.create_index('ix_packed_batch_id', 'packed', ['batch_id'], unique=False)
    op.create_index('ix_packed_order_id', 'packed', ['order_id'], unique=False)
