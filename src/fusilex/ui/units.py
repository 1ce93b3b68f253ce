"""The user's units."""

from __future__ import annotations


class Units:
    """Kept for the session and remembered; the head shows them, every number on the screen obeys them."""

    inch = False
    fahrenheit = False
