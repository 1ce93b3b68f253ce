"""Gerber layers and drill files."""
