"""Verbs of Place: programme, simulate."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from msgspec import Struct

from fusilex.bench.intake.design import read_design
from fusilex.bench.programme.machine_row import MachineRow, row_values
from fusilex.bench.programme.programming import Programme
from fusilex.bench.verbs.answer import Answer
from fusilex.bench.workshop.machine_file import read_machine
from fusilex.core.evidence import Coverage, Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.kit.quantities import pull_for
from fusilex.core.machine.rs274 import BadBlock
from fusilex.core.machine.tapes import tape_of
from fusilex.core.panel.layout import single
from fusilex.core.placing.order import placed_by_paste
from fusilex.core.problems import BadInput
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say
from fusilex.devices.placer import run_through
from fusilex.devices.placer_world import NEVER, Chances, World
from fusilex.formats.bundle import read_one
from fusilex.formats.written.gcode import to_gcode
from fusilex.formats.written.templated import render
from fusilex.formats.written.whole import write_whole

MOST_BOARDS, MOST_GCODE = 10_000, 48 * 2**20


class Asked(Struct, frozen=True):
    """What `programme` is asked for."""

    folder: str
    machines: Sequence[str]
    boards: int | None = None
    seconds: float | None = None
    seed: int = 0
    gcode: str | None = None
    template: str | None = None
    side: str = "top"


def programme(asked: Asked) -> Answer:
    """Who places what, and the programme of one machine, or of several in a row, for one panel in their corner."""
    design, machines = read_design(asked.folder), [read_machine(file) for file in asked.machines]
    x0, y0, x1, y1 = design.outline.bounds
    panel = design.panel or single(x1 - x0, y1 - y0)
    boards = len(panel.cells) if asked.boards is None else asked.boards
    if not 1 <= boards <= MOST_BOARDS:
        raise BadInput("--boards", f"1 to {MOST_BOARDS} boards", str(boards))
    if asked.seconds is not None and not 0 <= asked.seconds <= 3600:
        raise BadInput("--seconds", "0 to 3600 seconds", f"{asked.seconds:g}")
    own = [p for p in design.parts if placed_by_paste(p, asked.side)]
    if not own:
        raise BadInput(Path(asked.folder).name, f"parts on paste on the {asked.side}", "none")
    names = {ref: line.key for line in pull_for([(own, boards)]) for ref in line.refs}
    parts = dict.fromkeys(panel.cells[:boards], own)
    row = MachineRow(design, panel, parts, lambda cell, part: names[part.ref], asked.side)
    try:
        made, bound = row.found(machines, -(-boards // len(panel.cells)), asked.seconds, asked.seed)
    except ValueError as problem:
        raise BadInput(Path(asked.machines[0]).name, f"a machine for {design.name}", str(problem)) from problem
    data = row_values(made, bound) if made else row.nothing(machines[0], -(-boards // len(panel.cells)))
    text = _told(data)
    if asked.template:
        words = read_one(Path(asked.template)).decode("utf-8", "replace")
        data["templated"] = render(words, {**data, "design": design.name}, Path(asked.template).name)
        text = [data["templated"]]
    if asked.gcode and made:
        _written(Path(asked.gcode), made, f"{design.name}, {asked.side}")
    numbers = (
        Quantity("time a panel", data["time_s"], "s"),
        Quantity("no programme is faster than", data["bound_s"], "s"),
        Quantity("parts by hand", len(data["hand"])),
    )
    unsure = sorted({p.line for one in made for p in one.pieces if not tape_of(p.package).sure})
    lines = {p.line for one in made for p in one.pieces}
    tapes = (Coverage("tapes known", len(lines) - len(unsure), len(lines)),)
    level = Level.CARE if data["hand"] or unsure or not made else seen(*tapes)
    if not made:
        judged = Judgement("place.programme", level, design.name, say("not worth it"), numbers, say("all by hand"))
        return Answer([judged], data, "\n".join(text))
    headline = say("program", placements=data["placements"], time=amount(data["time_s"], "s"))
    advice = say("rest by hand") if data["hand"] else None
    if unsure:
        advice = say("rest by hand, check tapes" if data["hand"] else "check tapes", lines=tuple(unsure))
    judged = Judgement("place.programme", level, design.name, headline, numbers, advice, coverage=tapes)
    return Answer([judged], data, "\n".join(text))


def _told(data: dict[str, Any]) -> list[str]:
    lines = []
    for one in data.get("machines", [data]):
        done = f"{one['placements']} placements in {len(one['trips'])} trips, {one['time_s']:.1f} s a panel"
        least = f"no programme takes less than {one['bound_s']:.1f} s (gap {100 * one['gap']:.1f} %)"
        lines.append(f"{one['machine']}: {done}; {least}")
        for s in one["slots"]:
            lines.append(f"slot {s['slot']:<4} {s['line']}  {s['width_mm']:g} mm tape, {s['pieces']} a panel")
    if "machines" in data:
        least = f"no sharing out takes less than {data['bound_s']:.1f} s"
        lines.append(f"in a row: a panel every {data['time_s']:.1f} s; {least}")
    return lines + [f"by hand {h['ref']}: {h['why']}" for h in data["hand"]]


def _written(path: Path, made: Sequence[Programme], title: str) -> None:
    """One file, or one for each machine in the row, numbered."""
    files = {}
    for n, one in enumerate(made, 1):
        name = path if len(made) == 1 else path.with_name(f"{path.stem}-{n}{path.suffix}")
        files[name] = to_gcode(one.job, one.found.plan, title).encode()
    write_whole(files)


def simulate(file: str, machine_file: str, seed: int = 0, faults: bool = False) -> Answer:
    """What a machine would do with a programme: its time, every part put down, and what goes wrong on the way."""
    machine = read_machine(machine_file)
    name = Path(file).name
    text = read_one(Path(file), MOST_GCODE).decode("utf-8", "replace")
    world = World(machine, Chances() if faults else NEVER, seed)
    try:
        for _ in run_through(text, machine, world):
            pass
    except BadBlock as problem:
        place, _, what = str(problem).partition(": ")
        raise BadInput(name, "a programme of the dialect in docs/formats.md", what, place) from problem
    slots, nozzles = machine.slots, machine.nozzles
    data: dict[str, Any] = {
        "time_s": world.time_s,
        "placed": [
            {
                "slot": slots[p.slot].name,
                "nozzle": nozzles[p.nozzle].name if p.nozzle >= 0 else None,
                "head": machine.heads[p.head].name,
                "x_mm": p.x,
                "y_mm": p.y,
                "z_mm": p.z,
                "rotation_deg": p.turned,
                "at_s": p.at_s,
            }
            for p in world.placed
        ],
        "faults": [
            {
                "kind": f.kind,
                "at_s": f.at_s,
                "slot": slots[f.slot].name if f.slot >= 0 else None,
                "head": machine.heads[f.head].name,
                "nozzle": nozzles[f.nozzle].name if f.nozzle >= 0 else None,
                "line": f.line,
            }
            for f in world.faults
        ],
        "used": {slots[s].name: n for s, n in sorted(world.used.items())},
    }
    held = [machine.heads[k].name for k, part in enumerate(world.held) if part is not None]
    parts = (every("parts", len(world.placed)),)
    level = Level.CARE if world.faults or held or not world.placed else seen(*parts)
    headline = say("run", parts=len(world.placed), time=amount(world.time_s, "s"), faults=len(world.faults))
    numbers = (Quantity("time", world.time_s, "s"), Quantity("faults", len(world.faults)))
    do = say("holds a part", head=held[0]) if held else None
    lines = [f"{f['at_s']:8.1f} s  {f['kind']}, slot {f['slot']}, head {f['head']}" for f in data["faults"]]
    found = Judgement("place.simulated", level, name, headline, numbers, do, coverage=parts)
    return Answer([found], data, "\n".join([found.headline, *lines]))
