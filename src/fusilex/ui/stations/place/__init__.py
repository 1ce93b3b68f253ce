"""Place on the screen."""
