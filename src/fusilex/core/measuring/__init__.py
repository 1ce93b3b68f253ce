"""Readings of any instrument: what they say against limits, against one another, and over time."""
