"""Attacks on the record, the readers and the window, with counts of what fell: `./run torture`."""
