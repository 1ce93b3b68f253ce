"""Make on the screen."""
