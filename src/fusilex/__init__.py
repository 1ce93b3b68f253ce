"""Fusilex: the bench companion for small-batch circuit board assembly."""

__version__ = "0.1.0"
