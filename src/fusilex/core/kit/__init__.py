"""Kit: what to pull, in which order the bins stand."""
