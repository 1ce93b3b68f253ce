"""The stations on the screen, each in the room of its name; a room is opened when somebody first goes there."""

from __future__ import annotations

from importlib import import_module

from fusilex.ui.picture import StationPicture


def picture_of(station: str) -> type[StationPicture]:
    """The picture of a station by its name. Raises ImportError for a station that has none."""
    room = import_module(f"{__name__}.{station.lower()}.station")
    found: type[StationPicture] = getattr(room, f"{station}Picture")
    return found
