"""Test: which pads to probe, what to expect."""
