"""The workshop: what outlives batches, opened with one key from anywhere."""
