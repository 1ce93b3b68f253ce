"""The pictures of Kit, one module each."""
