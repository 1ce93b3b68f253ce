"""Files written whole or not at all: beside their place first, then moved into it."""

from __future__ import annotations

import os
import secrets
import stat
import time
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

ENDING = ".fusilex-part"
LEFT_S = 3600.0
"""A draft this old was left by a program that was killed."""


def write_whole(files: Mapping[Path, bytes]) -> None:
    """Write all of the files; those that were there stay as they are until every new one is on the disk.

    Raises OSError for what cannot be written, and for a place that is a folder or a device.
    """
    drafts: dict[Path, Path] = {}
    try:
        for path, data in files.items():
            place = _place(path)
            tidy(place.parent)
            drafts[place] = draft = place.with_name(f".{place.name[:80]}.{secrets.token_hex(4)}{ENDING}")
            try:
                with draft.open("xb") as out:
                    out.write(data)
                    out.flush()
                    os.fsync(out.fileno())
            except OSError as problem:  # named by what was to be written, not by its draft
                raise OSError(problem.errno, problem.strerror, str(path)) from problem
            if place.exists():
                draft.chmod(stat.S_IMODE(place.stat().st_mode))
        for place, draft in drafts.items():
            draft.replace(place)
    finally:
        for draft in drafts.values():
            draft.unlink(missing_ok=True)


def tidy(folder: Path) -> None:
    """Take away drafts that a program left when it was killed."""
    with suppress(OSError):
        for draft in folder.glob(f".*.????????{ENDING}"):
            with suppress(OSError):
                if time.time() - draft.lstat().st_mtime > LEFT_S:
                    draft.unlink()


def _place(path: Path) -> Path:
    """Where the file itself is, behind links. Raises OSError where no file can be."""
    try:
        place = path.resolve()
        mode = place.stat().st_mode
    except FileNotFoundError:
        return path.resolve()
    except (ValueError, RuntimeError) as problem:  # a name with a null in it; links in a circle
        raise OSError(22, f"no file can be called that ({problem})") from problem
    if not stat.S_ISREG(mode):
        what = "that is a folder" if stat.S_ISDIR(mode) else "that is a device, not a file"
        raise OSError(22, what, str(path))
    return place
