"""Pictures of boards: where the board lies in them, and what differs from a good one."""
