"""The window: frame, board canvas, one module per station."""
