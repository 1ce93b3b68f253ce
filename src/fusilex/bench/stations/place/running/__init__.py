"""The machine's run: proof before it, the run itself, and what it did."""
