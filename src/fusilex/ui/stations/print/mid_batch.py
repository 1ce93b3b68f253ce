"""Another foil or paste once something is printed: with a reason, which says from which panel on."""

from __future__ import annotations

from collections.abc import Callable

from fusilex.bench.stations.print.commands import printed_panels
from fusilex.ui.desk import Desk


def in_mid_batch(desk: Desk, what: str, do: Callable[[str], object]) -> None:
    """Do it at once while nothing is printed, else ask why."""
    done = printed_panels(desk.batch)
    if not done:
        do("")
        return
    following = next((n for n in desk.bench.state.panels if n not in done), None)
    since = f"from panel {following} on" if following else "for prints made again"
    desk.ask(f"{what.rstrip('.')} {since}, because", do)
