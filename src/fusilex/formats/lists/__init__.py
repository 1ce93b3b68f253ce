"""Lists of any habit: placements, bills of materials, netlists, stock, temperature logs."""
