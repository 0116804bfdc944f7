"""what was roasted by each version of a plan, counted without reading every batch of it"""

from alembic import op

revision = '0011'
down_revision = '0010'


def upgrade() -> None:
    op.create_index('ix_batches_plan_id_version', 'batches', ['plan_id', 'plan_version', 'started'])
