"""What goes out on paper: of a board, of a batch, and what it cost."""
