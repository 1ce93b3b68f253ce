"""Hand on the screen."""
