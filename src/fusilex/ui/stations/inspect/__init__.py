"""Inspect on the screen."""
