"""A batch's record while it is open and as a file: the bench, its streams, undo, opening, mending, in and out."""
