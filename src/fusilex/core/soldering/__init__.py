"""Hand: what is soldered with the iron, in which order."""
