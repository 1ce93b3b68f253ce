"""Batches of the window: the rack, new ones, in and out as a zip."""
