"""Rework on the screen."""
