"""the words of batches, found on a server by an index too"""

import sqlalchemy as sa
from alembic import op

revision = '0010'
down_revision = '0009'

#: The module comes with PostgreSQL; who may make things in the database may make it, where it is there at all.
CAN = """
SELECT EXISTS (SELECT FROM pg_extension WHERE extname = 'pg_trgm')
    OR (has_database_privilege(current_database(), 'CREATE')
        AND EXISTS (SELECT FROM pg_available_extension_versions WHERE name = 'pg_trgm' AND trusted))
"""


def upgrade() -> None:
    connection = op.get_bind()
    if connection.dialect.name == 'postgresql' and connection.execute(sa.text(CAN)).scalar():
        op.execute('CREATE EXTENSION IF NOT EXISTS pg_trgm')
        op.execute('CREATE INDEX ix_batches_words ON batches USING gin (search_text gin_trgm_ops)')
