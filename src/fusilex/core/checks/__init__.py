"""Checks of a design and the fixes that go with them."""
