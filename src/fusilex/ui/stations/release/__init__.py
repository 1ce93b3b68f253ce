"""Release on the screen."""
