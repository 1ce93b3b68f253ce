"""What to do now while bare boards are made, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.make.judging import judge
from fusilex.bench.workshop.etching import Etching
from fusilex.core.bare_boards.etching import etch_minutes
from fusilex.core.quantities import CELSIUS, MICRON, write

CAUTIONS = {
    "Make": (
        "Cut wet, or with extraction and a mask: glass dust stays in the lungs. Slivers cut.",
        "The laminator and what comes out of it are hot: gloves, and a carrier sheet, no fingers near the rollers.",
        "Small drill bits break and fly: goggles, board clamped, sleeves and hair away.",
        "Solvent for the toner burns: open window, no plate, oven or iron near it.",
    ),
}
HOW = {
    "cut": "Wet, a millimetre large, edges deburred, copper scoured until water runs off in a film.",
    "transfer": "Carrier sheet, several passes, let it cool before you peel.",
    "look": "Hold it against the copper layer: breaks, pinholes, what you touched up.",
    "etch": "Keep it moving; out as soon as it is clear.",
    "strip": "Toner off with solvent, then rinse and dry.",
    "drill": "Small bits first, fresh, high speed, no side load.",
    "look again": "Against the light and against the copper layer: the finest track or gap that came out whole.",
}


def now(batch: Batch) -> Now:
    """The panel's next step, with the minutes to expect in the bath."""
    board, step = batch.board, batch.step
    if board.step != step.id:
        return elsewhere(batch)
    panels = batch.state.panels
    past = sum(all(b.step != step.id for b in batch.state.panel_boards(n)) for n in panels)
    expected = ""
    bath = batch.workshop[Etching].bath
    if step.method == "etch":
        if bath is None:
            return Now("Note the bath first", "How many litres: under Bare boards at Ready, N.", past / len(panels))
        minutes = batch.workshop[Etching].rate.factor * etch_minutes(35.0, 38.0, bath.held_g, 0.0, bath.litres)
        expected = f" About {minutes:.0f} min at {write(38.0, CELSIUS)} for {write(35.0, MICRON)}."
    if stops := batch.not_overruled(judge(batch)):
        again = "Do it again, or overrule with F2 and a reason, then Space."
        return Now(f"Panel {board.panel} stays", f"{stops[0].headline}. {stops[0].do} {again}", past / len(panels))
    verb = {"look": "Look at", "look again": "Look again at"}.get(step.method, step.method.capitalize())
    return Now(
        f"{verb} panel {board.panel}", f"{HOW[step.method]}{expected} Space when it is done.", past / len(panels)
    )
