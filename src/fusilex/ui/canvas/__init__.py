"""The board canvas: layers, bodies, highlights, zoom, pan and flip."""
