"""what the bench notes of a batch, cuppings and tests, and who roasted"""

import sqlalchemy as sa
from alembic import op

revision = '0004'
down_revision = '0003'


def upgrade() -> None:
    op.create_table('bench_notes',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('batch_id', sa.Integer(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('kind', sa.String(length=30), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['batch_id'], ['batches.id'], name=op.f('fk_bench_notes_batch_id_batches'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_bench_notes'))
    )
    op.create_index(op.f('ix_bench_notes_batch_id'), 'bench_notes', ['batch_id'])
    op.create_table('tables_set',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(length=30), nullable=False),
    sa.Column('name', sa.String(length=200), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('revealed', sa.Boolean(), nullable=False, server_default=sa.false()),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_tables_set'))
    )
    op.add_column('batches', sa.Column('operator', sa.String(length=80), nullable=False, server_default=''))
