"""settings of controls beside gas, airflow and drum"""

import sqlalchemy as sa
from alembic import op

revision = '0007'
down_revision = '0006'


def upgrade() -> None:
    op.add_column('readings', sa.Column('more', sa.JSON(), nullable=True))
