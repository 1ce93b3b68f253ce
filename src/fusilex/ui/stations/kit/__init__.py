"""Kit on the screen."""
