"""Verbs of Place: programme, simulate."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from fusilex.bench.intake.design import read_design
from fusilex.bench.programming import Programme, as_values, clock, hand_of, job_for, usual_seconds, who_places
from fusilex.bench.verbs.answer import Answer
from fusilex.bench.workshop.machine_file import read_machine
from fusilex.core.design.model import Design
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.kit.quantities import pull_for
from fusilex.core.machine.model import Machine
from fusilex.core.machine.rs274 import BadBlock
from fusilex.core.machine.tapes import tape_of
from fusilex.core.panel.layout import Panel, single
from fusilex.core.placing.order import placed_by_paste
from fusilex.core.problems import BadInput
from fusilex.core.programme.balance import balance
from fusilex.core.programme.job import Job
from fusilex.core.programme.make import Piece
from fusilex.core.programme.optimise import optimise
from fusilex.core.programme.pieces import LineOf, Parts, in_corner
from fusilex.core.programme.who import Choice
from fusilex.devices.placer import run_through
from fusilex.devices.placer_world import NEVER, Chances, World
from fusilex.formats.bundle import read_one
from fusilex.formats.written.gcode import to_gcode
from fusilex.formats.written.templated import render
from fusilex.formats.written.whole import write_whole

MOST_BOARDS, MOST_GCODE = 10_000, 48 * 2**20


@dataclass(frozen=True)
class Asked:
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
    row = _Row(design, panel, dict.fromkeys(panel.cells[:boards], own), lambda cell, part: names[part.ref], asked.side)
    try:
        made, bound = row.found(machines, -(-boards // len(panel.cells)), asked.seconds, asked.seed)
    except ValueError as problem:
        raise BadInput(Path(asked.machines[0]).name, f"a machine for {design.name}", str(problem)) from problem
    data = row.told(made, bound) if made else row.nothing(machines[0], -(-boards // len(panel.cells)))
    text = _told(data)
    if asked.template:
        words = read_one(Path(asked.template)).decode("utf-8", "replace")
        data["templated"] = render(words, {**data, "design": design.name}, Path(asked.template).name)
        text = [data["templated"]]
    if asked.gcode and made:
        _written(Path(asked.gcode), made, f"{design.name}, {asked.side}")
    numbers = (
        Because("time a panel", data["time_s"], "s"),
        Because("no programme is faster than", data["bound_s"], "s"),
        Because("by hand", len(data["hand"]), "parts of a board"),
    )
    unsure = sorted({p.line for one in made for p in one.pieces if not tape_of(p.package).sure})
    level = Level.CARE if data["hand"] or unsure else Level.GO
    if not made:
        text_of_it = "No line is worth the machine, or can be placed by it"
        do = "Place them all by hand."
        return Answer(
            [Judgement("place.programme", level, design.name, text_of_it, numbers, do)], data, "\n".join(text)
        )
    headline = f"The machine places {data['placements']} parts of a panel in {data['time_s']:.0f} s"
    do = "Place the others by hand after it." if data["hand"] else ""
    if unsure:
        do = f"{do} Look how marked parts lie in their tapes: {', '.join(unsure[:4])}.".strip()
    return Answer([Judgement("place.programme", level, design.name, headline, numbers, do)], data, "\n".join(text))


@dataclass(frozen=True, eq=False)
class _Row:
    """A design's parts before one machine or several in a row."""

    design: Design
    panel: Panel
    parts: Parts
    line_of: LineOf
    side: str

    def found(
        self, machines: Sequence[Machine], runs: int, seconds: float | None, seed: int
    ) -> tuple[list[Programme], float]:
        """Each machine's programme, and the bound to the time of the slowest. Raises ValueError."""
        choices = [who_places(m, self.design, self.panel, self.parts, self.line_of, runs, self.side) for m in machines]
        if not any(c.machine for c in choices):
            return [], 0.0
        if len(machines) == 1:
            only, pieces = self._job(machines[0], choices[0], runs)
            best = optimise(only, clock(usual_seconds(len(only)) if seconds is None else seconds), seed)
            hand = hand_of(choices[0], self.parts, self.line_of)
            return [Programme(only, best, choices[0], pieces, hand)], best.bound_s
        able = [frozenset(c.machine) for c in choices]
        every = frozenset().union(*able)
        hand = [(ref, why) for ref, why in hand_of(choices[0], self.parts, self.line_of) if not self._taken(ref, every)]

        def make(m: int, lines: frozenset[str]) -> Job:
            return self._job(machines[m], replace(choices[m], machine=tuple(lines)), runs)[0]

        whole = sum(map(len, self.parts.values()))
        spent = clock(usual_seconds(whole) * len(machines) if seconds is None else seconds)
        shared = balance(len(machines), able, [len(m.slots) for m in machines], make, spent, seed)
        made = []
        for m, (lines, job, got) in enumerate(zip(shared.lines, shared.jobs, shared.found, strict=True)):
            if job is not None and got is not None:
                choice = replace(choices[m], machine=tuple(lines))
                made.append(Programme(job, got, choice, self._job(machines[m], choice, runs)[1], hand))
        return made, shared.bound_s

    def _taken(self, ref: str, lines: frozenset[str]) -> bool:
        return any(self.line_of(cell, p) in lines for cell, own in self.parts.items() for p in own if p.ref == ref)

    def _job(self, machine: Machine, choice: Choice, runs: int) -> tuple[Job, list[Piece]]:
        lying = in_corner(machine, self.side)
        return job_for(machine, self.design, self.panel, self.parts, self.line_of, lying, choice, runs)

    def nothing(self, machine: Machine, runs: int) -> dict[str, Any]:
        """Where every line is placed by hand: a programme of no trips, and why each is."""
        choice = who_places(machine, self.design, self.panel, self.parts, self.line_of, runs, self.side)
        empty: dict[str, Any] = {key: [] for key in ("slots", "trips")}
        numbers = dict.fromkeys(("time_s", "bound_s", "gap", "saved_s"), 0.0)
        hand = [{"ref": ref, "why": why} for ref, why in hand_of(choice, self.parts, self.line_of)]
        return {"machine": machine.name, **empty, "placements": 0, **numbers, "hand": hand}

    def told(self, made: Sequence[Programme], bound: float) -> dict[str, Any]:
        """The programme in plain values; of several machines in a row each, and what they come to together."""
        each = [as_values(one) for one in made]
        if len(each) == 1:
            return each[0]
        time = max(one["time_s"] for one in each)
        return {
            "machines": each,
            "placements": sum(one["placements"] for one in each),
            "time_s": time,
            "bound_s": bound,
            "gap": max(0.0, time / bound - 1) if bound > 0 else None,
            "hand": each[0]["hand"],
        }


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
    level = Level.CARE if world.faults or held or not world.placed else Level.GO
    headline = f"{len(world.placed)} parts put down in {world.time_s:.1f} s, {len(world.faults)} faults"
    numbers = (Because("time", world.time_s, "s"), Because("faults", len(world.faults)))
    do = f"Head {held[0]} still holds a part at the end." if held else ""
    lines = [f"{f['at_s']:8.1f} s  {f['kind']}, slot {f['slot']}, head {f['head']}" for f in data["faults"]]
    found = Judgement("place.simulated", level, name, headline, numbers, do)
    return Answer([found], data, "\n".join([headline, *lines]))
