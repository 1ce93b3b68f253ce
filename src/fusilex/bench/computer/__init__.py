"""This computer: who sits at it, what was agreed to run on it, and what nobody foresaw."""
