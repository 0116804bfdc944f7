"""versions of plans, and which one a batch was roasted by"""

import sqlalchemy as sa
from alembic import op

revision = '0003'
down_revision = '0002'


def upgrade() -> None:
    op.create_table('plan_versions',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('plan_id', sa.Integer(), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.Column('saved_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('why', sa.Text(), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['plan_id'], ['plans.id'], name=op.f('fk_plan_versions_plan_id_plans'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_plan_versions'))
    )
    op.create_index(op.f('ix_plan_versions_plan_id'), 'plan_versions', ['plan_id'])
    op.add_column('plans', sa.Column('version', sa.Integer(), nullable=False, server_default='1'))
    op.add_column('batches', sa.Column('plan_version', sa.Integer(), nullable=True))
    op.execute(sa.text(
        "INSERT INTO plan_versions (plan_id, number, saved_at, why, document) SELECT id, 1, CURRENT_TIMESTAMP, '', document FROM plans"
    ))
    op.execute(sa.text('UPDATE batches SET plan_version = 1 WHERE plan_id IS NOT NULL'))
