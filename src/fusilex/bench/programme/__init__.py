"""The machine's programme for one machine, or several in a row."""
