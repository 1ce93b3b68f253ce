"""The judgements of Hand."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.short_bins import judge_bins
from fusilex.bench.stations.hand.extra import Extra, tasks_left
from fusilex.bench.stations.hand.soldering import care_for
from fusilex.bench.workshop.record_kinds import Limits
from fusilex.bench.workshop.records import Records
from fusilex.core.checks.polarity import judge_polarity
from fusilex.core.evidence import Coverage, Level, seen
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity, amount
from fusilex.core.soldering.bath import judge_bath
from fusilex.core.soldering.order import turns
from fusilex.core.wording import say


def judge(batch: Batch) -> list[Judgement]:
    """How far the board is, its next bin, and whether the heights are known."""
    order, board = batch.parts_of(batch.step.id), batch.board
    done = sum(p.ref in board.soldered for p in order)
    flips = turns(order)
    tall = tuple(Quantity(f"height of {p.ref}", p.package.height, "mm") for p in order[-2:])
    text = say("so far", done=done, parts=len(order), serial=board.serial)
    parts, numbers = (Coverage("parts", done, len(order)),), (*tall, Quantity("flips", flips))
    missing = () if done == len(order) else ("the parts that are left",)
    found = [Judgement("hand.order", seen(*parts), board.serial, text, numbers, missing=missing, coverage=parts)]
    if board.step == batch.step.id and (part := batch.next_part(board, batch.step.id)):
        found += judge_bins(batch, {batch.line_of[part.ref].key: 1})
    guessed = tuple(p.ref for p in order if not p.package.known)
    if guessed:
        text, do = say("heights guessed"), say("check the order")
        found.append(Judgement("ready.package", Level.CARE, "heights", text, (), do, guessed))
    found += judge_polarity(order, f"polarity on {board.serial}")
    return [*found, *_tasks(batch), *_hot(batch), *bathed(batch, board)]


def bathed(batch: Batch, board: Board) -> list[Judgement]:
    """Each bath that leads of a board went through, by the settings that were noted."""
    refs: dict[str, list[str]] = {}
    rows: dict[str, Mapping[str, Any]] = {}
    for (serial, ref), (bath, settings) in batch.state[Extra].baths.items():
        if serial == board.serial:
            key = f"{bath} {sorted(settings.items())}"
            rows[key] = settings
            refs.setdefault(key, []).append(ref)
    board_mm = batch.workshop[Records].first(Limits).board_mm
    return [j for key, row in rows.items() for j in judge_bath(f"{board.serial} {refs[key][0]}", row, board_mm)]


def remarks(batch: Batch, board: Board) -> list[Judgement]:
    """Baths whose settings were off, or not noted in full."""
    return [j for j in bathed(batch, board) if j.level is not Level.GO]


def _hot(batch: Batch) -> list[Judgement]:
    """What the next joints take: solder, tip, heat."""
    board = batch.board
    part = batch.next_part(board, batch.step.id) if board.step == batch.step.id else None
    if part is None or not part.pads:
        return []
    care = care_for(batch, part)
    heat, wire = care.heating, care.dose
    numbers: tuple[Quantity, ...] = (
        Quantity("iron from", heat.low_c, "°C"),
        Quantity("to", heat.high_c, "°C"),
        Quantity("tip", heat.tip_mm, "mm"),
        Quantity("on a joint from", heat.dwell_s[0], "s"),
        Quantity("up to", heat.dwell_s[1], "s"),
        Quantity("solder in all", round(wire.volume_mm3, 2), "mm³"),
    )
    text = say("wire", length=amount(wire.length_mm, "mm"), wire=amount(wire.wire_mm, "mm"), ref=part.ref)
    told = (Coverage("figures", 0 if care.untold else 1, 1),)
    level = Level.CARE if care.much_copper else seen(*told)
    missing = (care.untold,) if level is Level.UNKNOWN else ()
    numbers += (Quantity("not known", care.untold),) if care.untold else ()
    do = say("much copper" if care.much_copper else "lowest setting")
    return [Judgement("hand.joint", level, part.ref, text, numbers, do, (part.ref,), missing, told)]


def work(batch: Batch, board: Board) -> bool:
    """True where parts of this step are not on the board yet, or something else is left for the hands."""
    return batch.next_part(board, batch.step.id) is not None or bool(tasks_left(batch, board, batch.step.id))


def _tasks(batch: Batch) -> list[Judgement]:
    """Wires, harnesses and late parts that the board still needs: it does not leave without them."""
    board = batch.board
    left = tasks_left(batch, board, batch.step.id) if board.step == batch.step.id else []
    return [
        Judgement(
            "hand.task", Level.STOP, f"{board.serial} {task.id}", say("open", task=task.words), (), say("do it here")
        )
        for task in left
    ]


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """How leads were soldered that no iron did, and what else the hands did."""
    extra = batch.state[Extra]
    baths = [
        {"ref": ref, "by": bath, **settings}
        for (serial, ref), (bath, settings) in extra.baths.items()
        if serial == board.serial
    ]
    done = [
        {"what": extra.tasks[id].words, "pull_n": pull}
        for (serial, id), pull in extra.done.items()
        if serial == board.serial and id in extra.tasks
    ]
    return {"baths": baths, "hand_tasks": done}
