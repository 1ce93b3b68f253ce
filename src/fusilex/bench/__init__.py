"""One session at the bench, without a screen: commands in, events out."""
