"""Small widgets that several stations use."""
