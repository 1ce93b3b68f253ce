"""The bench without a screen: an open batch, commands in, events out."""
