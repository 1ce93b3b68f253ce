"""The judgements of Hand."""

from __future__ import annotations

from typing import Any

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.short_bins import judge_bins
from fusilex.bench.stations.hand.extra import Extra, tasks_left
from fusilex.bench.stations.hand.soldering import care_for
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.soldering.order import turns


def judge(batch: Batch) -> list[Judgement]:
    """How far the board is, its next bin, and whether the heights are known."""
    order, board = batch.parts_of(batch.step.id), batch.board
    done = sum(p.ref in board.soldered for p in order)
    flips = turns(order)
    tall = tuple(Because(p.ref, p.package.height, "mm high") for p in order[-2:])
    text = f"{done} of {len(order)} parts soldered by hand on {board.serial}"
    found = [Judgement("hand.order", Level.GO, board.serial, text, (*tall, Because("turned over", flips, "times")))]
    if board.step == batch.step.id and (part := batch.next_part(board, batch.step.id)):
        found += judge_bins(batch, {batch.line_of[part.ref].key: 1})
    guessed = tuple(p.ref for p in order if not p.package.known)
    if guessed:
        shown = ", ".join(guessed[:3]) + (f" and {len(guessed) - 3} more" if len(guessed) > 3 else "")
        text, do = f"Heights of {shown} are guessed", "Check the order by eye."
        found.append(Judgement("ready.package", Level.CARE, "heights", text, (), do, guessed))
    return [*found, *_tasks(batch), *_hot(batch)]


def _hot(batch: Batch) -> list[Judgement]:
    """What the next joints take: solder, tip, heat."""
    board = batch.board
    part = batch.next_part(board, batch.step.id) if board.step == batch.step.id else None
    if part is None or not part.pads:
        return []
    care = care_for(batch, part)
    heat, wire = care.heating, care.dose
    numbers: tuple[Because, ...] = (
        Because("set", f"{heat.low_c:.0f} to {heat.high_c:.0f} °C"),
        Because("tip", heat.tip_mm, "mm"),
        Because("on a joint", f"{heat.dwell_s[0]:g} to {heat.dwell_s[1]:g} s"),
        Because("solder", round(wire.volume_mm3, 2), "mm³ in all"),
    )
    text = f"{wire.length_mm:.0f} mm of {wire.wire_mm:g} mm wire to the largest joint of {part.ref}"
    level = Level.CARE if care.much_copper else Level.UNKNOWN if care.untold else Level.GO
    numbers += (Because("no file tells", care.untold),) if care.untold else ()
    return [
        Judgement("hand.joint", level, part.ref, text, numbers, f"{heat.why[:1].upper()}{heat.why[1:]}.", (part.ref,))
    ]


def work(batch: Batch, board: Board) -> bool:
    """True where parts of this step are not on the board yet, or something else is left for the hands."""
    return batch.next_part(board, batch.step.id) is not None or bool(tasks_left(batch, board, batch.step.id))


def _tasks(batch: Batch) -> list[Judgement]:
    """Wires, harnesses and late parts that the board still needs: it does not leave without them."""
    board = batch.board
    left = tasks_left(batch, board, batch.step.id) if board.step == batch.step.id else []
    return [
        Judgement("hand.task", Level.STOP, f"{board.serial} {task.id}", f"{task.words} is not done", (), "Do it here.")
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
