"""Bare boards: what their copper asks of a process, and etching one's own."""
