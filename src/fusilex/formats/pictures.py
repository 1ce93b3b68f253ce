"""Pictures of boards: PNG, JPEG and what else a camera writes, as arrays of blue, green and red."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fusilex.core.problems import BadInput

MOST_BYTES, MOST_PX, LEAST_PX = 100 * 2**20, 80_000_000, 160
KINDS = ("PNG", "JPEG", "TIFF", "WebP", "BMP")
ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".bmp")
PATTERN = "Pictures (*.png *.jpg *.jpeg *.tif *.tiff *.webp *.bmp)"


def read_picture(data: bytes, name: str) -> NDArray[np.uint8]:
    """Height × width × 3, turned as the camera was held. Raises `BadInput` for what is no picture of a usual size."""
    import cv2

    if not data or len(data) > MOST_BYTES:
        raise BadInput(name, f"a picture of up to {MOST_BYTES // 2**20} MB", f"{len(data) / 2**20:.0f} MB")
    wanted = f"a picture: {', '.join(KINDS)}"
    if not _known(data):
        raise BadInput(name, wanted, "something else")
    try:
        found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
    except cv2.error as problem:
        raise BadInput(name, wanted, "one that cannot be read") from problem
    if found is None:
        raise BadInput(name, wanted, "one that is damaged")
    high, wide = found.shape[:2]
    if min(high, wide) < LEAST_PX or high * wide > MOST_PX:
        raise BadInput(name, f"{LEAST_PX} pixels a side at least, {MOST_PX / 1e6:.0f} Mpx at most", f"{wide} × {high}")
    return np.asarray(found, dtype=np.uint8)


def _known(data: bytes) -> bool:
    """By its first bytes."""
    heads = (b"\x89PNG", b"\xff\xd8\xff", b"II*\x00", b"MM\x00*", b"BM")
    return data.startswith(heads) or (data[:4] == b"RIFF" and data[8:12] == b"WEBP")
