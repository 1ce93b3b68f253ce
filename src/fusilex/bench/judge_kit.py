"""The judgements of Kit: bins, bags, stock, moisture, programmes, strap."""

from __future__ import annotations

from typing import TYPE_CHECKING

from fusilex.bench.stock import exposure_of
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.kit.bag import check_bag, judge_bag
from fusilex.core.kit.moisture import judge_moisture
from fusilex.core.kit.quantities import judge_stock, judge_values, look_alikes
from fusilex.core.kit.stock import judge_cover

if TYPE_CHECKING:
    from fusilex.bench.session import Bench


def judge_kit(bench: Bench) -> list[Judgement]:
    """Everything that stands between this tray and the first part on paste."""
    state = bench.state
    lines = bench.lines_to_pull
    counts: dict[str, int | None] = {key: int(b["count"]) - state.dropped.get(key, 0) for key, b in state.bins.items()}
    found = _bags(bench) + _moisture(bench) + _programmes(bench) + judge_stock(lines, counts)
    waiting = [x for x in lines if x.key not in state.bins]
    if waiting and bench.workshop.state.lots:
        found += judge_cover(waiting, {x.key: bench.stock.have(x) for x in waiting if bench.stock.lots_for(x)})
    return found + judge_values(lines) + look_alikes(lines) + _strap(bench)


def _bags(bench: Bench) -> list[Judgement]:
    """Bags that did not match: a stop while nothing is said to it, a care once a reason is on record."""
    found = []
    for line in bench.lines:
        bag = bench.state.bags.get(line.key)
        if bag and bag["level"] != Level.GO:
            check = check_bag(line, bag["label"], bench.state.substitutes.get(line.key, ()))
            found.append(judge_bag(check, bag["reason"]))
    return found


def _moisture(bench: Bench) -> list[Judgement]:
    """Clocks of the sensitive lots that fit this batch and were opened."""
    found = []
    seen: set[str] = set()
    for line in bench.lines:
        for lot in bench.stock.lots_for(line):
            if lot.level != "1" and lot.moisture and lot.count > 0 and lot.id not in seen:
                seen.add(lot.id)
                judged = judge_moisture(lot.id, lot.level, exposure_of(bench, lot), line.refs, line.name)
                found.append(judged)
    return found


def _programmes(bench: Bench) -> list[Judgement]:
    found = []
    for key, done in bench.state.programmes.items():
        line = next((x for x in bench.lines if x.key == key), None)
        if line is None:
            continue
        if done:
            numbers = (
                Because("file", done["name"]),
                Because("version", done["version"]),
                Because("sha-256", done["sha256"][:12]),
            )
            found.append(
                Judgement(
                    "kit.programme",
                    Level.GO,
                    key,
                    f"{line.name} carries version {done['version']}",
                    numbers,
                    "",
                    line.refs,
                )
            )
        else:
            found.append(
                Judgement(
                    "kit.programme",
                    Level.STOP,
                    key,
                    f"{line.name} is not programmed yet",
                    (),
                    "Program the parts in their tray, mark them, then record the file with G.",
                    line.refs,
                )
            )
    return found


def _strap(bench: Bench) -> list[Judgement]:
    strap = bench.state.strap
    if not strap:
        return [
            Judgement(
                "kit.strap",
                Level.UNKNOWN,
                "wrist strap",
                "Strap not tested for this batch",
                (),
                "Test it, then type what it reads with Y.",
            )
        ]
    if strap["passed"]:
        return [Judgement("kit.strap", Level.GO, "wrist strap", "Strap is good", (Because("reads", strap["text"]),))]
    return [
        Judgement(
            "kit.strap",
            Level.STOP,
            "wrist strap",
            "Strap fails its test",
            (Because("reads", strap["text"]),),
            "Wet the skin, change the cord, test again. Open no bag before.",
        )
    ]
