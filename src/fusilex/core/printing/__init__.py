"""Print: stencil apertures, paste release, paste mass, powder."""
