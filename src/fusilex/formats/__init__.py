"""Readers and writers of open formats. Nothing here decides anything."""
