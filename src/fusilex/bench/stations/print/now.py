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


def now(batch: Batch) -> Now:
    """The panel to print, or what stands against it."""
    board = batch.board
    if board.station != "Print":
        return elsewhere(batch, "Print")
    panels = batch.state.panels
    printed = sum(any(b.print for b in batch.state.panel_boards(n)) for n in panels)
    if stops := batch.not_overruled(judge(batch)):
        return Now(
            f"Settle {stops[0].refs[0] if stops[0].refs else stops[0].subject}", f"{stops[0].headline}. {stops[0].do}"
        )
    return Now(
        f"Print panel {board.panel}",
        f"{batch.state.foil_mm:.2f} mm foil, {batch.state.paste} paste. "
        "One steady stroke, lift straight. Space when printed and looked at.",
        printed / len(panels),
    )
