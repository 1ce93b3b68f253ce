"""Each bomb handed to its verb: it is answered or refused within the budget."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from torture.at_once import SPAWN
from torture.bombs import BOMBS, HONEST
from torture.more_bombs import MORE, VERBS

MOST_S, MOST_MB, HONEST_MB = 10.0, 500, 700
ALL = BOMBS | MORE


def verb_for(name: str, folder: Path) -> list[str]:
    return VERBS.get(name, "check {}").format(folder).split(" ")


def run(arguments: list[str], most_s: float = 60.0) -> tuple[int, str, float, float]:
    """Exit, what was said, seconds and most megabytes of `fusilex` with some arguments."""
    start = time.monotonic()
    with tempfile.TemporaryFile() as said:
        made = subprocess.Popen(
            [sys.executable, "-m", "fusilex", *arguments], stdout=subprocess.DEVNULL, stderr=said, cwd="/"
        )
        deadline = start + most_s
        while True:
            pid, status, used = os.wait4(made.pid, os.WNOHANG)
            if pid:
                break
            if time.monotonic() > deadline:
                made.kill()
                _, status, used = os.wait4(made.pid, 0)
                break
            time.sleep(0.02)
        made.returncode = status
        said.seek(0)
        text = said.read().decode(errors="replace")
    code = os.waitstatus_to_exitcode(status)
    return code, text, time.monotonic() - start, used.ru_maxrss / 1024


def _write(name: str, folder: Path) -> None:
    for file, data in (ALL | HONEST)[name]().items():
        (folder / file).write_bytes(data)


def defused(place: Path, names: Sequence[str] | None = None, tell: bool = False) -> Counter[str]:
    """Each bomb handed to its verb; what fell."""
    found: Counter[str] = Counter()
    for name in names or [*ALL, *HONEST]:
        honest = name in HONEST
        folder = place / name
        folder.mkdir()
        writer = SPAWN.Process(target=_write, args=(name, folder))  # a child of a small process is measured small
        writer.start()
        writer.join()
        code, said, seconds, mb = run(verb_for(name, folder))
        most_s, most_mb = (60.0, HONEST_MB) if honest else (MOST_S, MOST_MB)
        found["bombs"] += 1
        found["over budget"] += seconds > most_s or mb > most_mb
        found["tracebacks"] += "Traceback" in said or "in Fusilex itself" in said or code not in (0, 2)
        if tell:
            over = " OVER" if seconds > most_s or mb > most_mb or code not in (0, 2) else ""
            print(
                f"{name:<22} exit {code} {seconds:5.1f} s {mb:6.0f} MB{over}  {' '.join(said.split())[:150]}",
                flush=True,
            )
        for path in folder.iterdir():
            path.unlink()
    return found
