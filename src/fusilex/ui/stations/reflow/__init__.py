"""Reflow on the screen."""
