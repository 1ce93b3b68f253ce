"""What to do now at Ready, view by view, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.now import Now
from fusilex.bench.stations.ready.events import Readied
from fusilex.bench.stations.ready.judging import judge, judge_steps, side_order, step_judgements
from fusilex.bench.stations.ready.route_view import step_words
from fusilex.core.checks.side_order import SIDE_ORDERS, judge_sides
from fusilex.core.evidence import Level
from fusilex.core.judgement import worst_first
from fusilex.core.route.steps import Step

CAUTIONS = {
    "Bare boards": (
        "Isopropyl burns: no hot plate, oven or iron near it; open the window.",
        "Edges and slivers cut; board dust is bad for lungs: cut wet, or with extraction and a mask.",
    ),
    "Etching": (
        (
            "Etchant burns eyes and skin and eats metal: goggles, gloves, apron, moving air, a second container under"
            " the bath."
        ),
        (
            "Never down the drain: spent etchant and rinse water are hazardous waste under local rules. Its data sheet"
            " comes first."
        ),
    ),
}


def now(batch: Batch) -> Now:
    """Settle the worst, or accept the files."""
    if not batch.state.at("Ready"):
        return Now("Files accepted", f"Go on to Kit with {batch.key('Kit')}.", 1.0)
    judged = worst_first(judge(batch))
    if stops := batch.not_overruled(judged):
        return Now(f"Settle {stops[0].subject}", f"{stops[0].headline}. {stops[0].do}")
    cares = sum(j.level is Level.CARE for j in judged)
    read = "" if not cares else " Read the care first." if cares == 1 else f" Read the {cares} cares first."
    return Now("Accept the files", f"Space when the board is what you mean to build.{read}")


def at_bare(batch: Batch) -> Now:
    """At the bare boards: count and wipe."""
    unit = "panels" if batch.panel.count > 1 else "boards"
    if batch.state[Readied].bare_panels is None:
        wanted = len(batch.state.panels)
        return Now(
            f"Count the bare {unit}",
            f"{wanted} {'is' if wanted == 1 else 'are'} wanted. C when they are counted, wiped and handled by the"
            " edges.",
        )
    return Now(
        "Bare boards are counted",
        "Wipe with 99 % isopropyl and a lint-free cloth; from then on touch only edges.",
        1.0,
    )


def at_sides(batch: Batch) -> Now:
    """At the sides: what their order means for this board."""
    order = side_order(batch)
    judged = judge_sides(batch.design, order)[0]
    return Now(judged.headline, f"{SIDE_ORDERS[order].capitalize()}. {judged.do}".strip())


def at_next_time(batch: Batch, chosen: int) -> Now:
    """At what could be better next time: the suggestion in hand."""
    found = batch.derived.suggestions
    if not found:
        return Now("Nothing to ask for", "")
    in_hand = found[min(chosen, len(found) - 1)]
    words = f"{len(found)} things" if len(found) > 1 else "One thing"
    return Now(f"{words} for next time", f"{in_hand.text}: {in_hand.why}. E writes the list.")


def at_route(batch: Batch, step: Step) -> Now:
    """At the route: the step in hand and why it stands there."""
    if wrong := judge_steps(batch):
        return Now("Mend the route", f"{wrong[0].headline}. {wrong[0].do}")
    what, parts = step_words(batch, step)
    hanging = step_judgements(batch, step)
    said = [hanging[0].headline if hanging else "", step.why, parts]
    return Now(what, ". ".join(word for word in said if word) + ".")
