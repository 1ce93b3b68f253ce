"""What to do now at Print, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.print.foil import next_stage
from fusilex.bench.stations.print.foil_events import STAGES
from fusilex.bench.stations.print.judging import STENCIL, judge, looked_at
from fusilex.core.printing.dots import WARM_BOARD_C
from fusilex.core.printing.jig import BEAD_MM
from fusilex.core.quantities import CELSIUS, MM, write_length, write_range

CAUTIONS = {
    "Print": (
        "Foil edges cut: wear gloves when you carry the stencil.",
        "Gloves for paste, no food or drink, wash your hands. Leaded paste: local lead rules apply.",
        "Isopropyl burns: keep it away from hot plates and ovens.",
        "Waste paste and wipes are hazardous waste under local rules.",
    ),
}

STAGE_WORDS = {
    "clean": ("Clean", "Blow the dust off; isopropyl where fingers were. Then no fingers on the pads."),
    "seat": ("Seat", "Flat in its jig, flush with the frame, foil down on it without a gap."),
    "bead": ("Bead for", "Stir the paste. Lay a bead {bead} in diameter, full width, ahead of the print."),
    "stroke": ("Print", "One steady stroke, the bead rolling, the foil wiped clean behind the blade."),
    "lift": ("Lift off", "Straight up and slowly, first at the far side from the hinge."),
}
"""What hands do at each step of a print."""

STAGE_DONE = {
    "clean": "clean",
    "seat": "seated flat",
    "bead": "bead laid",
    "stroke": "one stroke made",
    "lift": "foil lifted",
    "look": "looked at",
}
"""What is said when they have done it."""

HOW = {
    "syringe": "Dispense {paste} sparingly; a board at {warm} helps it stick. Inspect, then press Space.",
    "dots": "One dot a pad, {paste}. Space when looked at.",
    "tinned pads": "Tin every pad thinly and alike with the iron, then flux. Space when looked at.",
}
"""By method, what hands do."""


def now(batch: Batch) -> Now:
    """The panel to print, or what stands against it."""
    board = batch.board
    step = batch.step
    if board.step != step.id:
        return elsewhere(batch)
    if behind := batch.behind(board.panel, step.id):
        said = f"Panel {board.panel} is printed whole; that board is at {batch.where(behind[0])}."
        return Now(f"Wait for {behind[0].serial}", said)
    panels = batch.state.panels
    printed = sum(any(step.id in b.prints for b in batch.state.panel_boards(n)) for n in panels)
    if stops := batch.not_overruled(judge(batch)):
        return Now(
            f"Settle {stops[0].refs[0] if stops[0].refs else stops[0].subject}", f"{stops[0].headline}. {stops[0].do}"
        )
    share, up = printed / len(panels), f", {step.side} up" if step.side == "bottom" else ""
    foil = f"{write_length(batch.state.foil_mm)} foil, {batch.state.paste} paste"
    if step.method != STENCIL:
        how = HOW[step.method].format(paste=f"{batch.state.paste} paste", warm=write_range(*WARM_BOARD_C, CELSIUS))
        return Now(f"Print panel {board.panel}{up}", how, share)
    stage = next_stage(batch, board.panel)
    if stage == STAGES[-1]:
        left = [ref for ref, done in looked_at(batch).items() if not done]
        told = f"Next {left[0]}. Space when it is good, 1 to 6 for what is not." if left else "Space accepts the print."
        return Now(f"Look at panel {board.panel}", told, share)
    title, how = STAGE_WORDS[stage]
    how = how.format(bead=write_range(*BEAD_MM, MM))
    return Now(f"{title} panel {board.panel}{up}", f"{how} {foil}." if stage == "stroke" else how, share)
