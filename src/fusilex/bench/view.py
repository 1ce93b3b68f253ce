"""Where the eyes are: each window has its own, and none is in the record."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass
class View:
    """The step and the board in view."""

    step: str = "Ready"
    board: str = ""
