"""One module per station; none knows another."""
