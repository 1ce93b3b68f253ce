"""Break the code in the ways of tests/planted, one at a time in a copy, and run the test that must notice.

Each patch begins with a line of what it breaks and a line `test: FILE::NAME`. A patch that no longer applies, a test
that fails without it, and a test that passes with it are all told; exit 1 where there is any.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from queue import SimpleQueue

from msgspec import Struct

ROOT = Path(__file__).parents[1]
FOLDER = ROOT / "tests" / "planted"
COPIED = ("src", "tests", "tools", "docs", "packaging", "pyproject.toml", "README.md", "CHANGELOG.md", "LICENSE", "run")
WORKERS = os.cpu_count() or 1
FAILED = 1
"""How pytest ends where a test failed; anything else but 0 says that none was run."""


class Planted(Struct, frozen=True):
    """A fault: what it is, the patch that plants it, and the test that must fail."""

    words: str
    patch: Path
    test: str


def planted(folder: Path = FOLDER) -> list[Planted]:
    """Every fault of a folder. Raises ValueError for a patch without its two lines."""
    found = []
    for path in sorted(folder.glob("*.patch")):
        words, test = path.read_text().split("\n")[:2]
        if not words or not test.startswith("test: tests/"):
            raise ValueError(f"{path.name} has to begin with what it breaks and the test that notices")
        found.append(Planted(words, path, test.removeprefix("test: ")))
    return found


def applies(fault: Planted, root: Path = ROOT) -> bool:
    """True where the patch fits the code as it is."""
    return subprocess.run(_apply(fault, "--check"), cwd=root, capture_output=True, check=False).returncode == 0


def _apply(fault: Planted, *how: str) -> list[str]:
    return ["git", "apply", "-C1", "--recount", *how, str(fault.patch)]


@contextmanager
def copies(count: int) -> Iterator[SimpleQueue[Path]]:
    """Copies of the project to break, taken and given back."""
    with tempfile.TemporaryDirectory() as folder:
        free: SimpleQueue[Path] = SimpleQueue()
        for n in range(count):
            place = Path(folder) / str(n)
            place.mkdir()
            for name in COPIED:
                source = ROOT / name
                if source.is_dir():
                    shutil.copytree(source, place / name, ignore=shutil.ignore_patterns("__pycache__"))
                else:
                    shutil.copy(source, place / name)
            subprocess.run(["git", "init", "-q"], cwd=place, check=True)  # paths of a patch are the copy's
            free.put(place)
        yield free


def run(place: Path, tests: list[str]) -> int:
    """Tests of a copy, against the copy's code."""
    there = {**os.environ, "PYTHONPATH": str(place / "src"), "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", *tests]
    return subprocess.run(command, cwd=place, env=there, capture_output=True, check=False).returncode


def tried(fault: Planted, free: SimpleQueue[Path]) -> str:
    """What is wrong with a planted fault, '' where its test noticed it."""
    place = free.get()
    try:
        if subprocess.run(_apply(fault), cwd=place, capture_output=True, check=False).returncode:
            return "the patch does not fit the code any more"
        ended = run(place, [fault.test])
        subprocess.run(_apply(fault, "-R"), cwd=place, capture_output=True, check=True)
        return "" if ended == FAILED else "SURVIVED" if ended == 0 else f"no test was run (pytest ended with {ended})"
    finally:
        free.put(place)


def main(words: list[str]) -> int:
    wanted = [f for f in planted() if all(w.lower() in (f.words + f.patch.name).lower() for w in words)]
    if not wanted:
        print(f"No fault of tests/planted has all of: {', '.join(words)}.")
        return 2
    wrong = 0
    with copies(WORKERS) as free, ThreadPoolExecutor(WORKERS) as pool:
        place = free.get()
        if run(place, sorted({f.test for f in wanted})):
            print("The tests named in tests/planted fail as it is.")
            return 1
        free.put(place)
        for fault, said in zip(wanted, pool.map(lambda f: tried(f, free), wanted), strict=True):
            print(f"{said or 'noticed':<12} {fault.words}", flush=True)
            wrong += bool(said)
    print(f"{len(wanted)} planted, {wrong} not noticed")
    return int(wrong > 0)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
