"""The machine's programme: who places what, from which slot, in which trips, and how far that is from the best."""
