"""Print on the screen."""
