"""Inspect: fault words and yields."""
