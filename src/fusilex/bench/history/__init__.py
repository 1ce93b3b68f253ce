"""What happened, asked afterwards: threads and traces, and what faults have in common."""
