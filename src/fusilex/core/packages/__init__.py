"""Packages of parts: names and codes into sizes, heights and masses."""
