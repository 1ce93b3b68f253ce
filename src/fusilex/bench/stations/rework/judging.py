"""The judgements of Rework: the queue, this board's faults, and who stands in the heat."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.common.faults import judge_faults, to_repair
from fusilex.bench.common.heat_limits import most_heats
from fusilex.bench.workshop.record_kinds import AirGun
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Part
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.rework.heat import heat_radius, neighbours
from fusilex.core.road.hanging import judge_heats


def judge(batch: Batch) -> list[Judgement]:
    """The board's own faults first, then the heat, then the queue."""
    return [*judge_faults(batch, batch.board), *_heat(batch), *_heats(batch), _queue(batch)]


def _heats(batch: Batch) -> list[Judgement]:
    """Heats the part to mend had, over sides and repairs."""
    board = batch.board
    mended = {f.ref: board.heats.get(f.ref, 0) for f in to_repair(batch, board)[:1]}
    return [j.of(board.serial) for j in judge_heats(mended, 1, most_heats(batch.workshop))]


def heat_of(batch: Batch, part: Part) -> float:
    """Radius (mm) in which this workshop's hot air melts solder about a part."""
    gun = batch.workshop[Records].first(AirGun)
    return heat_radius(part, gun.nozzle_mm / 2, gun.spread_mm)


def _queue(batch: Batch) -> Judgement:
    queue = batch.state.at(batch.step.id)
    if not queue:
        return Judgement("rework.queue", Level.GO, "queue", "Nothing to repair")
    text = f"{len(queue)} board{'s wait' if len(queue) > 1 else ' waits'} for repair"
    faults = sum(len(to_repair(batch, b)) for b in queue)
    return Judgement("rework.queue", Level.CARE, "queue", text, (Because("open faults", faults),))


def _heat(batch: Batch) -> list[Judgement]:
    for fault in to_repair(batch, batch.board)[:1]:
        part = batch.design.part_by_ref.get(fault.ref)
        if part is None:
            return []
        near = neighbours(batch.design, part, heat_of(batch, part))
        subject = f"{fault.ref} of {batch.board.serial}"
        if not near:
            return [Judgement("rework.heat", Level.GO, subject, f"Nothing stands in the heat of {fault.ref}")]
        light = [n.ref for n in near if n.blown]
        blown = Because("may blow away", ", ".join(light[:4]) or "none")
        text = f"{len(near)} part{'s stand' if len(near) > 1 else ' stands'} in the heat of {fault.ref}"
        do = "Shield them, lowest airflow." if light else "Shield them."
        numbers = (Because("nearest", near[0].distance, "mm"), blown)
        return [Judgement("rework.heat", Level.CARE, subject, text, numbers, do, tuple(n.ref for n in near))]
    return []
