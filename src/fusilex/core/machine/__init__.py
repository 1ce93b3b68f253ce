"""The small placing machine: what it is, how long its moves take, and how it follows a programme."""
