"""Ready on the screen."""
