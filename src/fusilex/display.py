"""Is there a screen to open a window on? Asked before Qt is, which ends the program where there is none."""

from __future__ import annotations

import ctypes
import os
import socket
import sys
from collections.abc import Mapping
from pathlib import Path


def no_display(surroundings: Mapping[str, str] = os.environ) -> str:
    """Why no window can be opened here, in a sentence; '' where one can, or where that is Qt's to find out."""
    if not sys.platform.startswith("linux") or surroundings.get("QT_QPA_PLATFORM"):
        return ""
    wayland, x = surroundings.get("WAYLAND_DISPLAY", ""), surroundings.get("DISPLAY", "")
    if wayland and _answers(Path(surroundings.get("XDG_RUNTIME_DIR", "/")) / wayland):
        return ""
    if x:
        return "" if _x_answers(x) else f"No window can be opened: the display {x} (DISPLAY) does not answer."
    return (
        "No window can be opened: this session has no display. Start it from a desktop, or type `fusilex --help` for"
        " what works without one."
    )


def _answers(place: Path) -> bool:
    with socket.socket(socket.AF_UNIX) as asked:
        try:
            asked.connect(str(place))
        except OSError:
            return False
    return True


def _x_answers(name: str) -> bool:
    """True where an X server lets us in, or where the library that asks is not here."""
    try:
        xcb = ctypes.CDLL("libxcb.so.1")
    except OSError:
        return True
    xcb.xcb_connect.restype = ctypes.c_void_p
    xcb.xcb_connection_has_error.argtypes = xcb.xcb_disconnect.argtypes = [ctypes.c_void_p]
    asked = xcb.xcb_connect(name.encode(), None)
    wrong = xcb.xcb_connection_has_error(asked)
    xcb.xcb_disconnect(asked)
    return not wrong
