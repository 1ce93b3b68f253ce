"""A machine's programme as RS-274 G-code: sub-programmes to pick, look, place and change, and one call a stop.

The words are those of `fusilex.core.machine.controller`; docs/formats.md tells them to a machinist.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from fusilex.core.machine.model import AXES, Slot
from fusilex.core.programme.job import Job
from fusilex.core.programme.plan import Act, Plan, Stop, programme_time, walk
from fusilex.formats.written.words import comment

EMPTIED = 500
"""The parameter, less a slot's number from 1, that counts the emptied pockets of a strip or tray."""
Line = tuple[str, Stop | None]
"""A line of a programme, and the stop of the beam that it makes."""


def to_gcode(job: Job, plan: Plan, title: str = "placing programme") -> str:
    """The programme (text). Lengths mm in the bed's frame, turns degrees; heads, slots and nozzles count from 1."""
    return "\n".join([*(text for text, _ in gcode_lines(job, plan, title)), ""])


def gcode_lines(
    job: Job, plan: Plan, title: str = "placing programme", emptied: Mapping[int, int] | None = None
) -> Iterator[Line]:
    """The programme line by line, calls with the stop they make; `emptied` as `walk` has it."""
    emptied = emptied or {}
    for text in (*_head(job, plan, title, emptied), *_subs(job, plan), *_begin(job, plan)):
        yield text, None
    yield from _body(job, plan, emptied)
    yield "M30", None


def _head(job: Job, plan: Plan, title: str, emptied: Mapping[int, int]) -> Iterator[str]:
    machine, t = job.machine, job.machine.times
    yield comment(title)
    yield comment(
        f"{len(job)} placements in {len(plan.trips)} trips, {programme_time(job, plan):.1f} s by {machine.name}"
    )
    yield "(check every first move with the board empty, one motion at a time)"
    yield "(G43 Hn puts head n to work: X Y Z are its tip. ABCUVW turn heads 1 to 6)"
    yield "(M64 M65 Pn hold and let go, M101 Pn look from below, M102 Pn pull slot n forward)"
    for line, slot in sorted(enumerate(plan.slot.tolist()), key=lambda item: item[1]):
        yield comment("slot", machine.slots[slot].name, "holds", job.names[line])
    for k, nozzle in enumerate(machine.nozzles, 1):
        yield comment(f"T{k} is nozzle", nozzle.name)
    yield "G21 (mm)"
    yield "G90 (absolute)"
    yield "G94"
    for name, value in (
        ("travel_z", job.travel_z),
        ("pick_z", machine.pick_z),
        ("top_z", machine.top_z),
        ("feed", machine.z.speed * 60),
        ("pick_s", t.pick),
        ("place_s", t.place),
        ("look_s", t.look),
        ("feed_s", t.feed),
    ):
        yield f"#<_{name}>={value:.4f}"
    for slot in sorted(plan.slot.tolist()):
        if machine.slots[slot].pockets > 1:
            said = comment("pockets of slot", machine.slots[slot].name, "that are empty by now")
            yield f"#{EMPTIED + slot + 1}={emptied.get(slot, 0) % machine.slots[slot].pockets} {said}"


def _subs(job: Job, plan: Plan) -> Iterator[str]:
    machine = job.machine
    letters = AXES[: len(machine.heads)]
    level = " ".join(f"{letter}0" for letter in letters)
    turned = " ".join(f"{letter}#{k}" for k, letter in enumerate(letters, 5))
    yield from ("o<pick> sub (head, x, y, slot of a tape, else 0)", "G43 H#1", f"G0 X#2 Y#3 {level}")
    if machine.times.feed:
        yield from ("o<tape> if [#4 GT 0]", "M102 P#4", "G4 P#<_feed_s>", "o<tape> endif")
    yield from ("G1 Z#<_pick_z> F#<_feed>", "M64 P#1", "G4 P#<_pick_s>", "G1 Z#<_travel_z>", "o<pick> endsub")
    if any(machine.slots[s].pockets > 1 for s in plan.slot.tolist()):
        yield from _take()
    if machine.vision:
        yield from ("o<look> sub (head, x, y)", "G43 H#1", "G0 X#2 Y#3", "M101 P#1", "G4 P#<_look_s>", "o<look> endsub")
    yield from ("o<place> sub (head, x, y, z, turns of all heads)", "G43 H#1", f"G0 X#2 Y#3 {turned}")
    yield from ("G1 Z#4 F#<_feed>", "M65 P#1", "G4 P#<_place_s>", "G1 Z#<_travel_z>", "o<place> endsub")
    yield from ("o<change> sub (head, x, y, nozzle)", "G43 H#1", f"G0 X#2 Y#3 {level}")
    if not machine.changes_itself:
        yield "M0 (change the nozzle by hand, hands out before going on)"
    yield from ("T#4 M6", "o<change> endsub")


def _take() -> Iterator[str]:
    """The next pocket of a strip or tray: row by row, and a stop for a full one after the last."""
    count = f"#[{EMPTIED}+#4]"
    row, column = f"[[{count}-[{count} MOD #5]]/#5]", f"[{count} MOD #5]"
    yield "o<take> sub (head, x and y of the first pocket, slot, pockets in a row, in all, step x y, row step x y)"
    yield f"o<full> if [{count} GE #6]"
    yield "M0 (strip or tray is empty: put a full one in, hands out before going on)"
    yield f"{count}=0"
    yield "o<full> endif"
    yield f"o<pick> call [#1] [#2+#7*{column}+#9*{row}] [#3+#8*{column}+#10*{row}] [0]"
    yield f"{count}=[{count}+1]"
    yield "o<take> endsub"


def _begin(job: Job, plan: Plan) -> Iterator[str]:
    machine = job.machine
    for head, given in enumerate(machine.heads):
        first = plan.trips[0].nozzles[head]
        if not given.nozzle and first >= 0:
            said = comment("head", given.name, "starts with", machine.nozzles[first].name)
            yield from (f"G43 H{head + 1}", f"M61 Q{first + 1} {said}")
    yield "G0 Z#<_travel_z>"


def _body(job: Job, plan: Plan, emptied: Mapping[int, int]) -> Iterator[Line]:
    trip, turns = -1, [0.0] * len(job.machine.heads)
    for stop in walk(job, plan, emptied):
        if stop.trip != trip and stop.act is not Act.PARK:
            trip, turns = stop.trip, [0.0] * len(turns)
            yield comment(f"trip {trip + 1}"), None
            for head, i in plan.trips[trip].places:
                turns[head] = float(job.head_turn[i, plan.slot[job.line[i]]])
        for text in _call(job, plan, stop, turns):
            yield text, stop


def _call(job: Job, plan: Plan, stop: Stop, turns: list[float]) -> Iterator[str]:
    machine, head = job.machine, stop.head
    x, y = stop.at[0] + machine.offsets[head][0], stop.at[1] + machine.offsets[head][1]
    where = f"[{head + 1}] [{x:.4f}] [{y:.4f}]"
    if stop.act is Act.PICK:
        slot = int(plan.slot[job.line[stop.item]])
        said = comment(job.names[job.line[stop.item]], "from slot", machine.slots[slot].name)
        yield f"{_taken(machine.slots[slot], head, slot) or f'o<pick> call {where} [{slot + 1}]'} {said}"
    elif stop.act is Act.LOOK:
        yield f"o<look> call {where}"
    elif stop.act is Act.PLACE:
        ref, cell = job.labels[stop.item]
        z = machine.board_z + job.height[stop.item]
        angles = " ".join(f"[{turn:.4f}]" for turn in turns)
        yield f"o<place> call {where} [{z:.4f}] {angles} {comment(ref, 'in cell', cell)}"
    elif stop.act is Act.CHANGE:
        name = machine.nozzles[stop.item].name if stop.item >= 0 else "none"
        yield f"o<change> call {where} [{stop.item + 1}] {comment('nozzle', name, 'on head', machine.heads[head].name)}"
    else:
        level = " ".join(f"{letter}0" for letter in AXES[: len(turns)])
        yield from (f"G43 H{head + 1}", f"G0 X{x:.4f} Y{y:.4f} {level}", "G0 Z#<_top_z>")


def _taken(slot: Slot, head: int, number: int) -> str:
    """The call that takes the next part of a strip or tray, '' for a tape."""
    if slot.pockets == 1:
        return ""
    places = (slot.x, slot.y, number + 1, slot.in_row, slot.pockets, *slot.step, *slot.row_step)
    return f"o<take> call [{head + 1}] " + " ".join(f"[{value:.10g}]" for value in places)
