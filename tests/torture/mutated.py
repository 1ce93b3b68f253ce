"""Whole files with slips in them, and nonsense typed: read, or refused with a sentence, within the budget."""

from __future__ import annotations

import io
import random
import time
import traceback
import zipfile
from collections import Counter
from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

from exports import read_bom, read_placements

from fusilex.bench.intake.design import read_design
from fusilex.bench.refusal import Refused
from fusilex.bench.rooms import EVENT_KINDS
from fusilex.bench.stations.kit import typed_input as kit
from fusilex.bench.stations.make import typed_input as make
from fusilex.bench.stations.place import typed_input as place_
from fusilex.bench.stations.print import typed_input as print_
from fusilex.bench.stations.ready import typed_input as ready
from fusilex.bench.stations.ready.options_text import option
from fusilex.bench.stations.ready.panel_text import panel
from fusilex.bench.stations.test import typed_input as test
from fusilex.bench.typed_text import number, numbers, pieces
from fusilex.bench.workshop.records import read_records
from fusilex.core.packages.catalogue import Catalogue
from fusilex.core.problems import BadInput
from fusilex.core.route.steps import one_side
from fusilex.core.shown import is_shown
from fusilex.core.values import parse_reading, read_ohms, read_value
from fusilex.formats.bundle import Files, read_files
from fusilex.formats.identify import identify
from fusilex.formats.layers.excellon import read_excellon
from fusilex.formats.layers.gerber import read_components, read_gerber
from fusilex.formats.lists.design_lists import read_points
from fusilex.formats.lists.netlist import read_netlist
from fusilex.formats.lists.stock import read_stock
from fusilex.formats.lists.temperature_log import read_log
from fusilex.formats.panel_file import read_panel
from fusilex.journal.bundle import read_bundle
from torture.bombs import HERON

MOST_S = 10.0
NASTY = [
    "²", "٣", "٣.٤", "9" * 400, "9" * 5000, "-" + "9" * 400, "1e999", "-1e999", "nan", "inf", "1e-400", "0x10", "1_000",
    "\x00", "\ud7ff", "\ufeff", "\u202e", "\u2028", "%", "%%", "*", "(((((", ")" * 50, "{" * 500, "[" * 500, '"', "''",
    "X.Y.", "X+Y-", "X-.Y+.", "D99999999999", "T99999999999", "R99999999X1Y1", "G85", "M02*", "%LPC*%", "%SRX9X9*%",
    "%AMX*7,0,0,1,0.5,nan,0*%", "%ADD99X*%", "7,0,0,1e308,1e308,1e-308,0", "99999999999 d ago", "-5 min", "1/0", "=1",
    "-", "--", "-rf", "\r", "\n\n\n", "\t", ",", ";" * 40, "1,2,3,4,5,6,7,8,9", "NaN", "null", "true", "1..2", "+-1",
]  # fmt: skip
"""What people and programs write where a number or a word is due."""

Reader = Callable[[bytes, str], object]


def bundle_of_heron() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for path in sorted(HERON.iterdir()):
            if path.is_file():
                made.writestr(path.name, path.read_bytes())
    return out.getvalue()


def _zip(data: bytes, name: str) -> object:
    place = Path("/dev/shm") if Path("/dev/shm").is_dir() else Path("/tmp")
    path = place / f"fusilex-mutated-{time.monotonic_ns()}.zip"
    path.write_bytes(data)
    try:
        return read_files(path)
    finally:
        path.unlink()


def readers() -> dict[str, tuple[bytes, list[Reader]]]:
    def of(name: str, *how: Reader) -> tuple[bytes, list[Reader]]:
        data = (HERON / name).read_bytes()
        return data[:8000] + data[-60:], [*how, lambda d, n: identify(n, d)]

    shop = (Path(__file__).parents[2] / "src/fusilex/assets/workshop.json").read_bytes()
    stock = b"id,form,part_number,value,package,count\nL1,reel,SR-1,10 k,0402,400\nL2,bag,SR-2,1 uF,0603,~30\n"
    points = b"U1,10.0,12.0\nU2 , 20.0, 13.5\nR1@2;30;4\n"
    macro = (
        b"%FSLAX46Y46*%\n%MOMM*%\n%AMT*7,0,0,2,1,0.3,45*1,1,$1,0,0*5,1,6,0,0,$2,0*%\n%AMM*6,0,0,2,0.1,0.1,3,0.1,2,0*%\n"
        b"%ADD10T,0.4X1.2*%\n%ADD11M*%\n%ADD12P,1X5X10*%\n%ABD13*%\nD10*\nX0Y0D03*\n%AB*%\n%SRX2Y2I3J3*%\nD13*\n"
        b"X1000000Y1000000D03*\n%SR*%\nG75*\nG02*\nX2000000Y2000000I500000J500000D01*\nG36*\nX0Y0D02*\nG01*\n"
        b"X100Y0D01*\nX100Y100D01*\nX0Y0D01*\nG37*\n%LPC*%\nX50Y50D03*\n%LR30*%\n%LMXY*%\n%LS2*%\nX1Y1D03*\nM02*\n"
    )
    return {
        "paste.gbr": of("heron-r2-paste-top.gbr", read_gerber, lambda d, n: read_components(d, n, "top")),
        "macro.gbr": (macro, [read_gerber]),
        "outline.gbr": of("heron-r2-outline.gbr", read_gerber),
        "a.drl": of("heron-r2-unplated.drl", read_excellon),
        "b.drl": of("heron-r2-plated.drl", read_excellon),
        "a.ipc": of("heron-r2.ipc", read_netlist),
        "placements.csv": of("heron-r2-placements.csv", read_placements),
        "bom.csv": of("heron-r2-bom.csv", read_bom),
        "run.csv": of("oven-run-1.csv", read_log),
        "panel.json": of("panel.json", read_panel),
        "stock.csv": (stock, [read_stock]),
        "points.csv": (points, [read_points]),
        "workshop.json": (shop, [read_records]),
        "set.zip": (bundle_of_heron(), [_zip, lambda d, n: read_bundle(d, n, EVENT_KINDS)]),
    }


def slipped(whole: bytes, dice: random.Random) -> bytes:
    raw = bytearray(whole)
    for _ in range(dice.randrange(1, 6)):
        at, length = dice.randrange(len(raw) + 1), dice.randrange(1, 40)
        match dice.randrange(6):
            case 0 if at < len(raw):
                raw[at] = dice.randrange(256)
            case 1:
                del raw[at : at + length]
            case 2:
                raw[at:at] = raw[at : at + length] * dice.choice((1, 1, 50))
            case 3:
                raw[at : at + dice.randrange(6)] = dice.choice(NASTY).encode("utf-8", "surrogatepass")
            case 4:
                raw = raw[:at] + raw[-dice.randrange(1, 200) :]
            case _:
                number_at = next((k for k in range(at, len(raw)) if 48 <= raw[k] <= 57), None)
                if number_at is not None:
                    raw[number_at : number_at + 1] = dice.choice(NASTY[:16]).encode("utf-8", "surrogatepass")
    return bytes(raw) or b" "


def reading(text: str) -> float:
    try:
        return parse_reading(text)
    except ValueError as problem:  # as it says of itself
        raise Refused(str(problem)) from problem


def typed() -> list[Callable[[str], object]]:
    now, package = datetime.now(UTC), Catalogue().package("0402", "R1")
    found: list[Callable[[str], Any]] = [
        kit.lot, lambda t: kit.count(t, package), lambda t: kit.moisture("L1", t, now), kit.tare, kit.tray_size,
        lambda t: make.done(1, next(iter(make.EXAMPLES)), t), lambda t: place_.point(1, t), print_.foil, lambda t: ready.role("x.gbr", t),
        lambda t: ready.package("0402", t), ready.bare, ready.litres, ready.bath_plan, ready.process, ready.etch_run,
        lambda t: ready.step(t, "Kit"), lambda t: test.fault("H7-01", t), numbers, pieces,
        lambda t: number(t, "length", "3 mm", "mm"), lambda t: panel(t, 40, 30), read_value, read_ohms, reading,
        lambda t: option(t, ["H7-01", "H7-02"], one_side()),
    ]  # fmt: skip
    return found


WORDS = [
    "reel, SR-1777, 1 uF, 0402, 5000, a, 3",
    "weight 50 10",
    "strip 400",
    "opened 3 d ago",
    "baked",
    "27 C 45 %",
    "14 38 35",
    "U1 10.5 20",
    "0.12",
    "2 x 3 gap 2 2 rail 5 0",
    "R1 10k 0402 from H7-02",
    "4.7 kΩ",
    "1.1M",
    "OL",
    "10.2 x 8.2 x 10 mm 2.5 g marked",
    "paste top",
    "Print bottom",
    "P1, 3, 4",
    "U3 bridge",
    "own etching 0.2",
    "100 mm 2 h",
    "0603 not fitted all",
]


def nonsense(dice: random.Random) -> str:
    words = dice.choice(WORDS).split(" ")
    for _ in range(dice.randrange(1, 4)):
        at = dice.randrange(len(words) + 1)
        words[at : at + dice.randrange(2)] = [dice.choice(NASTY)]
    return dice.choice((" ", " ", "", ", ")).join(words)


def slips(count: int, seed: int = 1, tell: bool = False) -> Counter[str]:
    """`count` inputs, two thirds of them files; what fell."""
    dice, found = random.Random(seed), Counter[str]()
    files, said = readers(), typed()
    for n in range(count):
        started = time.monotonic()
        try:
            if n % 3:
                name = dice.choice(list(files))
                data = slipped(files[name][0], dice)
                for how in files[name][1]:
                    _tried(partial(how, data, name), found, tell)
            else:
                text, parse = nonsense(dice), dice.choice(said)
                _tried(partial(parse, text), found, tell)
        finally:
            found["mutated inputs"] += 1
            found["over budget"] += time.monotonic() - started > MOST_S
    return found


def _tried(what: Callable[[], object], found: Counter[str], tell: bool) -> None:
    try:
        what()
    except (BadInput, Refused) as problem:
        found["refused"] += 1
        none = not is_shown(str(problem)) or not str(problem).strip()
        found["sentences that are none"] += none
        if none and tell:
            print("NONE", repr(str(problem)[:200]))
    except Exception:
        found["tracebacks"] += 1
        if tell:
            print(traceback.format_exc().replace("Traceback", "@@@"))


def whole_sets(count: int, place: Path, seed: int = 1, tell: bool = False) -> Counter[str]:
    """Heron with slips in some of its files, read as a design."""
    dice, found = random.Random(seed), Counter[str]()
    whole: Files = read_files(HERON)
    for n in range(count):
        folder = place / f"set-{n}"
        folder.mkdir()
        for name, data in whole.items():
            (folder / name).write_bytes(slipped(data, dice) if dice.random() < 0.08 else data)
        started = time.monotonic()
        _tried(partial(read_design, folder), found, tell)
        found["mutated inputs"] += 1
        found["over budget"] += time.monotonic() - started > MOST_S
        for path in folder.iterdir():
            path.unlink()
    return found
