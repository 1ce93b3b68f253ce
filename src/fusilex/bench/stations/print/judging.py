"""The judgements of Print: of the print a board has, or of the one its panel would get now."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from msgspec.structs import asdict, replace

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, PastePrint
from fusilex.bench.built import Built
from fusilex.bench.stations.print.dots import judge_syringe
from fusilex.bench.stations.print.events import Printing
from fusilex.bench.stations.print.foil_events import Foil, Run
from fusilex.bench.stations.print.jars import ahead, judge_paste_in_use
from fusilex.bench.stations.print.stencil import (
    apart,
    ground,
    judge_alignment,
    judged_apertures,
    looks_at,
    since_wipe,
    stencil_of,
)
from fusilex.bench.workshop.paste_care import PasteCare
from fusilex.bench.workshop.record_kinds import Blade
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.measuring.resolution import step_of
from fusilex.core.printing.apertures import Apertures
from fusilex.core.printing.choosing import judge_alloy, judge_ways, ways_of
from fusilex.core.printing.jig import judge_blade, judge_step
from fusilex.core.printing.looking import NEAR_WEB_MM, LookOrder, fine_parts, judge_print, look_order
from fusilex.core.printing.paste import judge_paste
from fusilex.core.printing.release import judge_hidden, judge_release
from fusilex.core.printing.risks import Ground, risks
from fusilex.core.printing.weighing import FINEST_MG, RunChart, judge_weights, measured_transfer, run_chart
from fusilex.core.printing.wiping import judge_first, judge_wipe
from fusilex.core.route.steps import METHODS, NO_PASTE
from fusilex.core.wording import say

STENCIL = METHODS["Print"][0]
BY_NEEDLE = ("syringe", "dots")
LOOKS, FEWEST = 24, 3
"""Looks at a panel's print, shared out over its boards, and the fewest at a board."""


def foil_and_paste(batch: Batch, board: Board) -> tuple[float, str]:
    """What the board's print was made with; what it would be made with when there is none."""
    made = board.prints.get(batch.step.id)
    return (made.foil_mm, made.paste) if made else (batch.state.foil_mm, batch.state.paste)


def judge(batch: Batch) -> list[Judgement]:
    """Release through this foil, hidden joints, the paste for the batch, and what was seen of the print; before it is
    made, the foil, the jar, the room and how many may be printed too.
    """
    foil, paste = foil_and_paste(batch, batch.board)
    sheet = batch.workshop[Records].paste(paste)
    apertures = batch.derived.apertures(batch.step.side)
    if batch.step.method == NO_PASTE:
        return []
    made = batch.board.prints.get(batch.step.id)
    now = [] if made else _before(batch)
    if batch.step.method != STENCIL:
        mass = judge_paste(apertures, foil, sheet.paste, len(batch.state.boards))[:1]
        do = say("a guide")
        dotted = judge_syringe(batch) if batch.step.method in BY_NEEDLE and len(apertures) else []
        return [*dotted, *(replace(j, advice=do) for j in mass), *now]
    return [
        *(j.of(f"{foil:g} mm") for j in judge_release(apertures, foil, coated(batch))),
        *judged_apertures(apertures, batch.on_panel, foil, sheet.powder or None, coated(batch)),
        *judge_hidden(apertures, [p.ref for p in batch.on_panel.hidden]),
        *judge_paste(apertures, foil, sheet.paste, len(batch.state.boards)),
        *_seen(batch, made),
        *now,
    ]


def coated(batch: Batch) -> bool:
    """True for a stencil that is on record as coated."""
    found = stencil_of(batch)
    return found is not None and found.coated


def _before(batch: Batch) -> list[Judgement]:
    """What counts before a print is made."""
    found = [*judge_paste_in_use(batch)]
    if not batch.state[Printing].prints:
        found += judge_choice(batch)
    if batch.parts_on_paste(batch.step.side):
        found.append(ahead(batch)[0])
    if batch.step.method != STENCIL:
        return found
    found += judge_alignment(batch) if looks_at(batch) else [NOT_LOOKED]
    found += judge_first(apart(batch))
    if since_wipe(batch):
        found.append(judge_wipe(since_wipe(batch), batch.state[Foil].faults_after))
    if (step := batch.state[Foil].step_mm) is not None:
        found.append(judge_step(step, batch.state.foil_mm))
    if blades := batch.workshop[Records].all(Blade):
        found.append(judge_blade(max(b.width_mm for b in blades.values()), batch.panel.width))
    if batch.state[Run].weighed:
        found += weights(batch)[1]
    return found


def judge_choice(batch: Batch) -> list[Judgement]:
    """Does this way of bringing paste on suit the batch, and this alloy what comes after?"""
    apertures = batch.derived.apertures(batch.step.side)
    if not len(apertures):
        return []
    counts = len(batch.state.boards), len(batch.panel.cells), len(batch.on_panel.hidden)
    records = batch.workshop[Records]
    alloy, peak = records.paste(batch.state.paste).alloy, records.window(batch.state.paste).peak
    stencil = stencil_of(batch)
    own = stencil is not None and bool(stencil.design)
    return [*_choice(apertures, batch.any_board, counts, own, batch.step.method, alloy, peak)]


@lru_cache(maxsize=8)
def _choice(
    apertures: Apertures,
    boards: Built,
    counts: tuple[int, int, int],
    has_stencil: bool,
    method: str,
    alloy: str,
    peak: tuple[float, float],
) -> tuple[Judgement, Judgement]:
    count, cells, hidden = counts
    bismuth, leaded = "BI" in alloy.upper(), "PB" in alloy.upper()
    ways = ways_of(apertures, count, cells, hidden, has_stencil)
    return judge_ways(ways, method), judge_alloy(alloy, bismuth, leaded, boards.parts, hidden, peak)


NOT_LOOKED = Judgement(
    "print.aligned",
    Level.UNKNOWN,
    "stencil",
    say("not checked"),
    advice=say("check two spots"),
    missing=("a look at two places",),
)


def _seen(batch: Batch, made: PastePrint | None) -> list[Judgement]:
    """What was seen of the print in hand: while it is looked at, and for good once something was marked."""
    board, run = batch.board, batch.state[Run]
    key = batch.step.id, board.panel
    stages, marks = run.stages.get(key, ()), run.marks.get(key, ())
    if not marks and (made or "lift" not in stages):
        return []
    way = {} if made else looked_at(batch)
    fine, near = _unforgiving(ground_here(batch))
    found = judge_print([m for _, m in marks], fine, near, f"panel {board.panel}", way)
    return [found.of(f"print {made.number}") if made else found]


def ground_here(batch: Batch) -> Ground:
    """Lands and webs of the side printed."""
    return ground(batch.derived.apertures(batch.step.side), batch.drawn)


def to_look_at(batch: Batch) -> LookOrder:
    """The risky few of a board, on a short way: parts that hide their joints first."""
    powder = batch.workshop[Records].paste(batch.state.paste).powder or None
    few = max(FEWEST, LOOKS // max(1, len(batch.panel.cells)))
    hidden = tuple(p.ref for p in batch.on_panel.hidden)
    return _order_of_looks(ground_here(batch), batch.state.foil_mm, powder, coated(batch), hidden, few)


@lru_cache(maxsize=8)
def _order_of_looks(
    here: Ground, foil: float, powder: int | None, coat: bool, hidden: tuple[str, ...], few: int
) -> LookOrder:
    return look_order(risks(here, foil, powder, coat), foil, hidden, few)


@lru_cache(maxsize=8)
def _unforgiving(here: Ground) -> tuple[set[str], set[str]]:
    """Parts that are fine, and parts whose apertures are near one another."""
    apertures = here.lands.apertures
    return fine_parts(apertures, here.web), fine_parts(apertures, here.web, NEAR_WEB_MM)


def looked_at(batch: Batch) -> dict[str, bool]:
    """The parts on the way on each board of the panel, and whether they were looked at."""
    step, panel = batch.step.id, batch.board.panel
    run = batch.state[Run]
    seen = {*run.looked.get((step, panel), ()), *((b, m.ref) for b, m in run.marks.get((step, panel), ()))}
    boards = [b for b in batch.state.panel_boards(panel) if b.step == step and not b.scrapped]
    return {
        ref if len(boards) == 1 else f"{ref} of {board.serial}": (board.serial, ref) in seen
        for board in boards
        for ref in to_look_at(batch).refs
    }


def weights(batch: Batch) -> tuple[RunChart, list[Judgement]]:
    """The run chart of this batch's weighed prints against those of the shop before, and what it says."""
    weighed = batch.state[Run].weighed
    ratios, predicted = [w.ratio for w in weighed], weighed[-1].predicted_mg
    before = batch.workshop[PasteCare].history(batch.state.paste, batch.name)
    step = step_of([round(w.ratio * w.predicted_mg, 3) for w in weighed], FINEST_MG)
    chart = run_chart(ratios, before, [n for n, w in enumerate(weighed) if w.apart], step / predicted)
    apertures = batch.derived.apertures(batch.step.side)
    plain = [w.ratio for w in weighed if not w.apart] or ratios
    found = measured_transfer([r * predicted for r in plain], predicted, apertures, batch.state.foil_mm, step)
    return chart, judge_weights(chart, found, predicted)


def lacks(batch: Batch, board: Board) -> list[str]:
    if board.prints.get(batch.step.id) or not work(batch, board):
        return []
    return [batch.named("print")]


def work(batch: Batch, board: Board) -> bool:
    """True where parts are to go onto this side's paste."""
    return bool(batch.parts_on_paste(batch.step.side))


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """The print, prints wiped off before it, foils or pastes changed on the way, marks and weights."""
    printing, run = batch.state[Printing], batch.state[Run]
    made = [_printed(batch, one) for one in board.prints.values()]
    wiped = [{"step": w.step, "at": w.at, "reason": w.reason} for w in printing.wiped if w.panel == board.panel]
    changes = [asdict(c) for c in printing.changes if c.from_panel <= board.panel]
    told: dict[str, Any] = {"prints": made, "wiped_prints": wiped, "changed_in_mid_batch": changes}
    numbers = {one.number for one in board.prints.values()}
    if weighed := [w for w in run.weighed if w.number in numbers]:
        told["weighed_mg"] = [
            {"print": w.number, "measured": round(w.mg, 1), "predicted": round(w.predicted_mg, 1)} for w in weighed
        ]
    marks = [
        {"step": step, "part": m.ref, "pad": m.pin, "seen": m.word}
        for (step, panel), found in run.marks.items()
        for serial, m in found
        if panel == board.panel and serial == board.serial
    ]
    return told | ({"deposits": marks} if marks else {})


def _printed(batch: Batch, made: PastePrint) -> dict[str, Any]:
    step = batch.steps.by_id.get(made.step)
    told = {k: v for k, v in asdict(made).items() if (k != "panel" and v not in ("", ())) or k == "note"}
    return {**told, "side": step.side if step else "", "method": step.method if step else ""}
