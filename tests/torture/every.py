"""All attacks one after the other, two at a time where that does not disturb what is measured; a table of what fell.

python -m torture            about 15 minutes, never more than 20
python -m torture --short    what every test run does
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from torture import at_once, defused, kills, mutated, torn

MOST_MINUTES = 20
WANTED = ("lost", "unseen", "doubled", "tracebacks", "over budget")
Attack = tuple[str, Callable[..., Counter[str]], tuple[object, ...]]


def _keys(place: Path, count: int, seed: int) -> Counter[str]:
    from torture.any_keys import keys  # opens a window: only in a process of its own

    return keys(count, place, seed)


def attacks(short: bool) -> tuple[list[Attack], list[Attack]]:
    """Those that must run alone (name, what, arguments after the place), and those that may run side by side."""
    few = list(defused.ALL)[:: 15 if short else 1]
    alone: list[Attack] = [
        ("bombs", defused.defused, (few if short else None, not short)),
        ("first starts", at_once.first_start, (2 if short else 4, 1 if short else 8)),
        ("two at once", at_once.flat_out, (2, 30 if short else 1000)),
    ]
    if not short:
        alone.append(("four at once", at_once.flat_out, (4, 1000)))
    versions = ("", "0002") if short else ("", "0002", "0003", "0004")
    beside: list[Attack] = [(f"killed at a statement {v or 'new'}", kills.at_any_statement, (v,)) for v in versions]
    beside += [("killed while opening", kills.at_any_moment, (12 if short else 440,))]
    beside += [("killed at work", kills.at_work, (6 if short else 250, seed)) for seed in ((1,) if short else (1, 2))]
    beside += [
        ("mutated files and words", _slips, (300 if short else 4700, seed)) for seed in ((1,) if short else (1, 2))
    ]
    beside += [("damaged journals", torn.mended, (6 if short else 400, 4))]
    beside += [("journals cut while open", torn.cut_open, (3 if short else 120, 5))]
    beside += [("mutated sets", _sets, (3 if short else 600, 3))]
    if not short:
        beside += [("any keys", _keys, (10_000, seed)) for seed in range(5)]
    return alone, beside


def _slips(place: Path, count: int, seed: int) -> Counter[str]:
    return mutated.slips(count, seed)


def _sets(place: Path, count: int, seed: int) -> Counter[str]:
    return mutated.whole_sets(count, place, seed)


def run(attack: Attack) -> tuple[str, Counter[str], float]:
    """One attack in a place of its own."""
    name, what, given = attack
    began = time.monotonic()
    with tempfile.TemporaryDirectory() as place:
        for variable in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
            os.environ[variable] = f"{place}/{variable}"
        return name, what(Path(place), *given), time.monotonic() - began


def everything(short: bool = False) -> list[tuple[str, Counter[str], float]]:
    """What fell, by attack."""
    alone, beside = attacks(short)
    told = []
    for attack in alone:
        told.append(run(attack))
        _tell(*told[-1])
    with ProcessPoolExecutor(os.cpu_count() or 2, mp_context=at_once.SPAWN, max_tasks_per_child=1) as pool:
        for done in pool.map(run, sorted(beside, key=lambda attack: attack[0] != "any keys")):  # the longest first
            told.append(done)
            _tell(*done)
    return told


def _tell(name: str, found: Counter[str], seconds: float) -> None:
    print(f"{name:<30} {seconds:6.0f} s  " + ", ".join(f"{n} {what}" for what, n in sorted(found.items())), flush=True)


def main() -> int:
    began = time.monotonic()
    told = everything("--short" in sys.argv)
    whole: Counter[str] = sum((found for _, found, _ in told), Counter[str]())
    minutes = (time.monotonic() - began) / 60
    print("\n| what | count |\n|---|---|")
    for what in sorted({*WANTED, *(key for _, found, _ in told for key in found)}):
        print(f"| {what} | {whole[what]:,} |")
    print(f"| minutes | {minutes:.1f} |")
    fell = [what for what in FALLEN if whole[what]]
    print("\n" + (f"Fell: {', '.join(fell)}." if fell else "Nothing fell."))
    return 1 if fell or minutes > MOST_MINUTES else 0


FALLEN = (
    *WANTED,
    "states unlike the replay",
    "openings that failed",
    "noticed for nothing",
    "first starts that failed",
    "second workshops",
    "lots with one name",
    "sentences that are none",
)
