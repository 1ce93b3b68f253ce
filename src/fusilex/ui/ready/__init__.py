"""The pictures of Ready, one module each."""
