"""Alembic migrations of the library."""
