"""Rework: what stands in the heat."""
