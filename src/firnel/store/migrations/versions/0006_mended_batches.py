"""tags, declined results and events of batches, and what was corrected in them"""

import sqlalchemy as sa
from alembic import op

revision = '0006'
down_revision = '0005'


def upgrade() -> None:
    op.add_column('batches', sa.Column('tags', sa.Text(), nullable=False, server_default=''))
    op.add_column('batches', sa.Column('declined', sa.String(length=80), nullable=False, server_default=''))
    op.add_column('batches', sa.Column('events', sa.Text(), nullable=True))
    op.create_table('corrections',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('batch_id', sa.Integer(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('who', sa.String(length=80), nullable=False),
    sa.Column('field', sa.String(length=40), nullable=False),
    sa.Column('before', sa.Text(), nullable=False),
    sa.Column('after', sa.Text(), nullable=False),
    sa.ForeignKeyConstraint(['batch_id'], ['batches.id'], name=op.f('fk_corrections_batch_id_batches'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_corrections'))
    )
    op.create_index('ix_corrections_batch_id', 'corrections', ['batch_id'], unique=False)
