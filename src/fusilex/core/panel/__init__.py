"""The panel: one board stepped in columns and rows."""
