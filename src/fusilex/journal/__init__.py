"""The record: append-only events, where they are kept, and the state they add up to."""
