"""Reflow: temperature logs against the paste's window."""
