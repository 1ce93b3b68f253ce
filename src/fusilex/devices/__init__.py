"""Ports to what stands beside the computer: a small protocol each, a simulated one and a real one on a serial line."""
