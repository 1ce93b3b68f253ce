"""Small pictures of boards, kept between starts, so that a list of batches need not read any design."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPixmap

from fusilex.ui.canvas.paths import BoardArt
from fusilex.ui.canvas.picture import BoardPictures, Look
from fusilex.ui.theme import LIGHT

WIDE_PX = 240


def _place(files: str) -> Path:
    from platformdirs import user_cache_path

    return user_cache_path("fusilex", appauthor=False) / "boards" / f"{files[:32]}.png"


def keep(art: BoardArt, files: str) -> None:
    """Keep a picture of the board for its files' digest; a cache that cannot be written is no fault."""
    place = _place(files)
    if place.exists():
        return
    x0, y0, x1, y1 = art.design.outline.bounds
    look = Look(WIDE_PX / (x1 - x0), "top", ("copper", "exposed", "silk"), LIGHT.name, 1.0)
    parts = [p for p in art.design.parts if p.populated and p.side == "top"]
    pixmap, _ = BoardPictures(art).picture(look, parts, QRectF(x0, y0, x1 - x0, y1 - y0))
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        pixmap.save(str(place))
    except OSError:
        return


def kept(files: str) -> QPixmap | None:
    """The picture of a board, None where its batch was not seen on this computer yet."""
    found = QPixmap(str(_place(files)))
    return None if found.isNull() else found.scaledToWidth(WIDE_PX, Qt.TransformationMode.SmoothTransformation)
