"""Who places what: which lines the machine can take, which of them pay, and which get the slots where those are few.

A line pays where the seconds it saves over the batch are more than loading its slot takes. Where slots or nozzles are
few, the choice with the greatest saving is an integer programme, solved by SciPy's HiGHS.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
from msgspec import Struct

from fusilex.core.machine.model import STRIP, TRAY, Machine, Nozzle, Slot
from fusilex.core.machine.tapes import Tape, tape_of
from fusilex.core.packages.catalogue import Package
from fusilex.core.whole_numbers import solve

NO_FLAT_TOP = ("connector", "holder", "terminal", "reed", "other")
"""Families of bodies that often have nothing flat for a nozzle to hold."""
HAND_S, MACHINE_S = 12.0, 2.5
GAP = 1e-6
STEP_MM, LEAST_TRAY_MM = 0.05, 12.0
"""How far a strip's pockets may lie from those of its slot; the narrowest tape of a body that may lie in a tray."""


class Feed(Struct, frozen=True):
    """A line that may stand in a slot: its name, body, pieces a run and runs of the batch."""

    name: str
    package: Package
    pieces: int
    at_edge: bool = False


class Choice(Struct, frozen=True):
    """Lines for the machine by name, why each of the others is placed by hand, the seconds saved over the batch, and
    how far (share) the choice may be from the best one.
    """

    machine: tuple[str, ...]
    hand: Mapping[str, str]
    saved_s: float
    gap: float


def holds(nozzle: Nozzle, package: Package) -> bool:
    """True where a nozzle holds a body: by its smaller side (mm) and mass (mg)."""
    narrow = min(package.size_x, package.size_y)
    return nozzle.least - 1e-9 <= narrow <= nozzle.most + 1e-9 and package.mass_mg <= nozzle.heaviest


def slots_for(machine: Machine, tape: Tape) -> list[int]:
    """Slots that take what comes in a tape: wide enough; those for strips only where their pockets lie as far apart as
    the tape's, trays for bodies of some size (small ones stay in their tape) that fit between their steps.
    """
    return [i for i, slot in enumerate(machine.slots) if slot.width >= tape.width - 1e-9 and _takes(slot, tape)]


def _takes(slot: Slot, tape: Tape) -> bool:
    if slot.kind == TRAY:
        steps = [math.hypot(*s) for s, n in ((slot.step, slot.in_row), (slot.row_step, slot.rows)) if n > 1]
        return tape.width >= LEAST_TRAY_MM and all(step >= tape.pitch for step in steps)
    return slot.kind != STRIP or slot.pockets == 1 or abs(_step(slot) - tape.pitch) <= STEP_MM


def _step(slot: Slot) -> float:
    return math.hypot(*(slot.step if slot.in_row > 1 else slot.row_step))


def cannot(machine: Machine, feed: Feed) -> str:
    """Why the machine cannot take a line, '' where it can."""
    package = feed.package
    if not package.known:
        return "its body is not known: name it in the bodies library"
    if package.family in NO_FLAT_TOP:
        return "it has no flat top to hold, as far as its name tells"
    takes = np.asarray(machine.head_takes.any(axis=0))
    if not any(holds(n, package) and takes[k] for k, n in enumerate(machine.nozzles)):
        narrow = min(package.size_x, package.size_y)
        return f"no nozzle holds {narrow:g} mm and {package.mass_mg:g} mg"
    try:
        tape = tape_of(package)
    except ValueError as problem:
        return str(problem)
    if not slots_for(machine, tape):
        return f"no slot is wide enough for {tape.width:g} mm tape"
    if feed.at_edge:
        return f"it sits within {machine.edge:g} mm of a clamped edge"
    if package.height + machine.board_z + machine.clearance > machine.top_z:
        return f"{package.height:g} mm is taller than the machine travels"
    return ""


def choose(
    machine: Machine,
    feeds: Sequence[Feed],
    runs: int,
    hand_s: Mapping[str, float] | None = None,
    machine_s: float = MACHINE_S,
    said: Mapping[str, bool] | None = None,
) -> Choice:
    """Machine or hand for every line of a batch of `runs` runs. `hand_s` are the seconds a piece takes by hand, by line
    (a usual time for the others), `said` what the user decided: True for the machine, where it can, False for the hand.
    """
    hand_s, said = hand_s or {}, said or {}
    why: dict[str, str] = {}
    able, saving = [], []
    for feed in feeds:
        reason = cannot(machine, feed)
        saved = feed.pieces * runs * (hand_s.get(feed.name, HAND_S) - machine_s) - machine.times.load
        if said.get(feed.name) is False:
            reason = "you said so"
        elif said.get(feed.name) and reason.startswith(("it has no flat top", "it sits within")):
            reason = ""
        if not reason and saved <= 0 and not said.get(feed.name):
            reason = f"loading takes {machine.times.load:g} s and saves {saved + machine.times.load:.0f} s"
        if reason:
            why[feed.name] = reason
        else:
            able.append(feed)
            saving.append(saved)
    taken, gap = _fitted(machine, able, saving, runs, [bool(said.get(f.name)) for f in able])
    for feed, inside in zip(able, taken, strict=True):
        if not inside:
            why[feed.name] = "slots and nozzles are few, and others save more"
    saved_s = float(sum(s for s, inside in zip(saving, taken, strict=True) if inside))
    chosen = tuple(f.name for f, inside in zip(able, taken, strict=True) if inside)
    return Choice(chosen, why, saved_s, gap)


def _fitted(
    machine: Machine, feeds: Sequence[Feed], saving: Sequence[float], runs: int, wanted: Sequence[bool]
) -> tuple[list[bool], float]:
    """Which lines get slots: the greatest saving less the nozzle changes it needs, and the gap that HiGHS states.

    Variables: x of each line and kind of slot, y of each nozzle in use, z nozzle changes a run.
    """
    if not feeds:
        return [], 0.0
    alike: dict[tuple[float, str, float], list[int]] = {}
    for number, slot in enumerate(machine.slots):
        alike.setdefault((slot.width, slot.kind, _step(slot)), []).append(number)
    lines, kinds, nozzles = len(feeds), len(alike), len(machine.nozzles)
    takes = np.asarray(machine.head_takes.any(axis=0))
    n = lines * kinds + nozzles + 1
    gain, upper = np.zeros(n), np.ones(n)
    rows, most = [], []
    bonus = sum(abs(s) for s in saving) + 1.0  # what the user wants stays in before all else
    for k, feed in enumerate(feeds):
        can = set(slots_for(machine, tape_of(feed.package)))
        row = np.zeros(n)
        for w, own in enumerate(alike.values()):
            x = k * kinds + w
            gain[x] = saving[k] + (bonus if wanted[k] else 0.0)
            upper[x] = float(own[0] in can)
            row[x] = 1
        rows.append(row)
        most.append(1.0)
        held = row.copy()
        held[lines * kinds : -1] = [-float(takes[i] and holds(z, feed.package)) for i, z in enumerate(machine.nozzles)]
        rows.append(held)
        most.append(0.0)
    for w, own in enumerate(alike.values()):
        row = np.zeros(n)
        row[w : lines * kinds : kinds] = 1
        rows.append(row)
        most.append(float(len(own)))
    row = np.zeros(n)
    row[lines * kinds : -1], row[-1] = 1, -1
    rows.append(row)
    most.append(float(len(machine.heads)))
    upper[-1] = float(nozzles)
    gain[-1] = -machine.times.change * runs
    found, _, gap = solve(-gain, rows, np.full(len(rows), -np.inf), most, upper, np.ones(n), GAP)
    taken = found[: lines * kinds].reshape(lines, kinds).sum(axis=1) > 0.5
    return [bool(t) for t in taken], gap
