"""Test on the screen."""
