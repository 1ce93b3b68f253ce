"""What nobody foresaw, written down where people can find it and send it to us."""

from __future__ import annotations

import traceback
from datetime import datetime
from pathlib import Path


def write_down(error: BaseException) -> str:
    """Where it stands now, or why it does not."""
    from platformdirs import user_log_path

    notes = Path(user_log_path("fusilex", appauthor=False)) / "mishaps.txt"
    text = "".join(traceback.format_exception(error))
    try:
        notes.parent.mkdir(parents=True, exist_ok=True)
        with notes.open("a", encoding="utf-8", errors="backslashreplace") as out:
            out.write(f"{datetime.now().astimezone():%Y-%m-%d %H:%M:%S}\n{text}\n")
    except OSError as problem:
        return f"It could not be written down: {problem.strerror}."
    return f"What happened is written in {notes}."
