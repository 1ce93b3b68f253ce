"""What outlives batches: one module a kind of record, each with its events and its part of the workshop's state."""
