"""Alembic migrations of the journal."""
