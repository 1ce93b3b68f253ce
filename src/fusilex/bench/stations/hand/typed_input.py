"""What people type at Hand: a bath with its settings, a wire or harness with its place and pull."""

from __future__ import annotations

import re

from fusilex.bench.refusal import Refused
from fusilex.bench.stations.hand.extra import BATHS, KINDS, AddTask, SolderInBath
from fusilex.core.soldering.bath import LEAD_FREE, LEADED

BATH_EXAMPLE = "wave 250 105 12 3 0.7 leaded rosin"
TASK_EXAMPLE = "wire, red, TP3 to the buzzer, at J1, 10 N"
_ORDER = ("bath_c", "preheat_c", "speed_mm_s", "dwell_s", "depth_mm")


def read_bath(board: str, text: str) -> SolderInBath:
    """``wave 250 105 12 3 0.7 leaded rosin``: bath °C, preheat °C, speed mm/s, contact s, depth mm, solder, flux;
    ``pot 260 4`` is bath and contact alone. Raises `Refused`.
    """
    words = text.replace(",", " ").split()
    numbers: list[float] = []
    for word in words[1:]:
        if not re.fullmatch(r"\d+(\.\d+)?", word) or len(numbers) == len(_ORDER):
            break
        numbers.append(float(word))
    rest = words[1 + len(numbers) :]
    alloy = rest.pop(0).lower() if rest and rest[0].lower() in (LEADED, LEAD_FREE) else ""
    if not words or words[0].lower() not in BATHS or len(numbers) not in (2, len(_ORDER)):
        raise Refused(f"Type bath °C, preheat °C, speed, contact s, depth mm, solder and flux, such as {BATH_EXAMPLE}.")
    words_of = {"flux": " ".join(rest), **({"alloy": alloy} if alloy else {})}
    names = ("bath_c", "dwell_s") if len(numbers) == 2 else _ORDER
    return SolderInBath(board, words[0].lower(), {**dict(zip(names, numbers, strict=True)), **words_of})


def read_task(step: str, text: str) -> AddTask:
    """``wire, red, TP3 to the buzzer, at J1, 10 N``: what kind, its colour, what, where, and the pull it holds; colour,
    place and pull may be left out. Raises `Refused`.
    """
    parts = [part.strip() for part in text.split(",") if part.strip()]
    if len(parts) < 2 or parts[0].lower() not in KINDS:
        raise Refused(f"Begin with {', '.join(KINDS)}, such as {TASK_EXAMPLE}.")
    sort, rest = parts[0].lower(), parts[1:]
    pull = re.fullmatch(r"(\d+(?:\.\d+)?)\s*[nN]", rest[-1])
    rest = rest[:-1] if pull else rest
    where = rest.pop()[3:] if rest and rest[-1].lower().startswith("at ") else ""
    colour = rest.pop(0) if len(rest) > 1 else ""
    if not rest:
        raise Refused(f"Say what it is, such as {TASK_EXAMPLE}.")
    return AddTask(step, sort, ", ".join(rest), colour, where, float(pull.group(1)) if pull else 0.0)
