"""What people type at Ready, read into commands. Each raises `Refused` with an example of what to type."""

from __future__ import annotations

import re

from fusilex.bench.refusal import Refused
from fusilex.bench.stations.ready.bare import CountBare, LogEtch, MixBath, NoteProcess
from fusilex.bench.stations.ready.files import ROLES, SIDED, AssignFile, SetPackage
from fusilex.bench.stations.ready.route import AddStep
from fusilex.bench.typed_text import NUMBER, number, numbers
from fusilex.core.route.steps import METHODS, ONE_SIDED


def role(file: str, text: str) -> AssignFile:
    """``paste top``, ``drill``, ``nothing``."""
    words = text.lower().replace(",", " ").split()
    side = next((s for s in ("top", "bottom") if s in words), None)
    names = {
        "nothing": "other",
        "solder": "mask",
        "silkscreen": "silk",
        "bill": "bom",
        "parts": "bom",
        "positions": "placements",
    }
    what = next((names.get(w, w) for w in words if names.get(w, w) in ROLES), None)
    if what is None:
        raise Refused(
            f"“{text}” is no kind of file: type for example paste top, outline, drill, placements, bom or nothing."
        )
    if what == "inner":
        number = next((w for w in words if w.isdecimal()), None)
        if number is None:
            raise Refused("Say which inner layer, counted from the top: inner 2 is the one below it.")
        return AssignFile(file, what, number)
    if what in SIDED and side is None:
        raise Refused(f"Say which side too: {what} top or {what} bottom.")
    return AssignFile(file, what, side if what in SIDED else None)


def package(code: str, text: str) -> SetPackage:
    """``5.6 x 7.5 x 2.6 mm 210 mg marked``: length, width, height, mass (g when it says so), and marked or unmarked."""
    found = numbers(text)
    if len(found) != 4:
        raise Refused(
            "Type length × width × height in mm and the mass, for example 5.6 x 7.5 x 2.6 mm 210 mg; add marked or"
            " unmarked for a part with or without a wrong way round."
        )
    heavy = re.search(r"\d\s*g\b", text)
    words = text.lower().split()
    marked = True if "marked" in words else False if "unmarked" in words else None
    return SetPackage(code, found[0], found[1], found[2], found[3] * (1000 if heavy else 1), marked)


def bare(text: str) -> CountBare:
    """``3``, ``3 dirty``: panels counted, and whether they are still to be wiped."""
    found = numbers(text)
    if len(found) != 1 or found[0] != int(found[0]):
        raise Refused(f"“{text.strip()}” is no count: type how many panels, for example 3, or 3 dirty.")
    return CountBare(int(found[0]), "dirty" not in text.lower())


def litres(text: str) -> MixBath:
    """``0.5``, ``0,5 l``."""
    return MixBath(number(text, "volume", "litres, for example 0.5", "l"))


def bath_plan(text: str) -> tuple[float, float]:
    """``38 35``: bath °C and copper µm to work out a run for."""
    found = numbers(text)
    if len(found) != 2 or not (0 < found[0] <= 80 and 0 < found[1] <= 210):
        raise Refused("Type bath °C, up to 80, and copper µm, up to 210, for example 38 35.")
    return found[0], found[1]


def process(text: str) -> NoteProcess:
    """``own etching 0.3``: a process and the finest track or gap (mm) it has shown."""
    match = re.fullmatch(rf"\s*(.*\S)\s+({NUMBER})\s*(mm|mil)?\s*", text)
    if match is None:
        raise Refused("Type the process and the finest track or gap it has shown, for example own etching 0.3.")
    return NoteProcess(match[1], float(match[2].replace(",", ".")) * (0.0254 if match[3] == "mil" else 1.0))


def etch_run(text: str) -> LogEtch:
    """``14 min 38 C 35 um``: minutes, bath °C, copper µm."""
    found = numbers(text)
    if len(found) not in (3, 4):
        raise Refused(
            "Type minutes until clear, bath °C and copper µm, for example 14 38 35; a fourth number says how many"
            " boards."
        )
    return LogEtch(found[0], found[1], found[2], int(found[3]) if len(found) > 3 else 1)


def step(text: str, before: str) -> AddStep:
    """``inspect top before the oven``, ``print bottom syringe``, ``release separate``: a step to go before another."""
    words = text.lower().split()
    station = next((s for s in METHODS if words and s.lower() == words[0]), None)
    if station is None:
        raise Refused(f"Type a station first, one of {', '.join(METHODS)}; for example inspect top before the oven.")
    side = next((w for w in words[1:] if w in ("top", "bottom", "both")), "" if station in ONE_SIDED else "both")
    rest = " ".join(w for w in words[1:] if w != side)
    method = next((m for m in METHODS[station] if m == rest), None) if rest else METHODS[station][0]
    if method is None:
        raise Refused(f"{station} goes by {', '.join(METHODS[station])}, not by {rest}.")
    return AddStep(station, side, before, method)
