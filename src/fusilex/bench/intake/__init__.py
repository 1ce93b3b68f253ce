"""A designer's files into a design: formats read, core decides, here they meet."""
