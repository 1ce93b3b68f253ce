"""Print: stencil openings, paste release, paste mass, powder."""
