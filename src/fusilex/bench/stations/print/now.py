"""What to do now at Print, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.print.judging import judge

CAUTIONS = {
    "Print": (
        "Foil edges cut: wear gloves when you carry the stencil.",
        "Gloves for paste, no food or drink, wash your hands. Leaded paste: local lead rules apply.",
        "Isopropyl burns: keep it away from hot plates and ovens.",
        "Waste paste and wipes are hazardous waste under local rules.",
    ),
}

HOW = {
    "stencil": "{foil}, {paste}. One steady stroke, lift straight. Space when printed and looked at.",
    "syringe": "From the syringe: {paste}, a bead along each row, less than you think. Space when looked at.",
    "dots": "One dot a pad, {paste}. Space when looked at.",
    "tinned pads": "Tin each pad thinly with the iron, then flux. Space when looked at.",
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
    return Now(
        f"Print panel {board.panel}" + (f", {step.side} up" if step.side == "bottom" else ""),
        HOW[step.method].format(foil=f"{batch.state.foil_mm:.2f} mm foil", paste=f"{batch.state.paste} paste"),
        printed / len(panels),
    )
