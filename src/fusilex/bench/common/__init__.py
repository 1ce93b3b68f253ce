"""What every station shares: going about, cautions, overruling, faults, and pieces from bins."""
