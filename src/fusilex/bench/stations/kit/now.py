"""What to do now at Kit, at the bins and in the stock, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.common.bins import Bins
from fusilex.bench.now import Now
from fusilex.bench.stations.kit.events import Kitted, bin_open
from fusilex.bench.stations.kit.fitting import lines_to_pull
from fusilex.bench.stations.kit.judging import judge
from fusilex.bench.workshop.stock import Lot
from fusilex.core.kit.quantities import PullLine

CAUTIONS = {
    "Kit": (
        "Touch the strap tester before you open a bag; static kills parts without a mark.",
        "Bake moisture-sensitive parts only by their label, never in a food oven; trays are hot.",
    ),
}


def now(batch: Batch) -> Now:
    """The next bin, or closing the kit."""
    lines = lines_to_pull(batch)
    line = next((x for x in lines if bin_open(batch.state, x.key)), None)
    if line:
        return at_bin(batch, line)
    if not batch.state.at("Kit"):
        return _closed(batch)
    short = [x for x in lines if batch.serve(x.key) < x.need]
    if stops := batch.not_overruled(judge(batch)):
        if short:
            names = ", ".join(r for x in short for r in x.refs)
            return Now(
                f"Short of {names}", "C counts the bin again; F2 and a reason starts the batch without them.", 1.0
            )
        return Now(f"Settle {stops[0].subject}", f"{stops[0].headline}. {stops[0].do}", 1.0)
    if short:
        names = ", ".join(r for x in short for r in x.refs)
        return Now(f"Start without {names}?", "Space starts the batch without them; C counts the bin again.", 1.0)
    return Now("Close the kit", "Every bin is filled: Space starts the batch.", 1.0)


def _closed(batch: Batch) -> Now:
    key = batch.key("Print")
    if without := batch.state[Bins].without:
        shown = ", ".join(without[:4]) + (" …" if len(without) > 4 else "")
        return Now("The kit is closed", f"Without {shown}: fill their bins any time. Go on to Print with {key}.", 1.0)
    return Now("The kit is closed", f"Go on to Print with {key}.", 1.0)


def at_bin(batch: Batch, line: PullLine) -> Now:
    """What to do at a bin that is not filled yet."""
    kitted, lines = batch.state[Kitted], lines_to_pull(batch)
    done = sum(not bin_open(batch.state, x.key) for x in lines) / max(1, len(lines))
    number = batch.bin_number[line.key]
    if wrong := kitted.wrong_bag(line.key):
        what, wanted, found = wrong
        do = "Put it back and check the right one with K, or say with W why it will do."
        return Now(f"Wrong bag at bin {number}", f"The {what} is {found}, not {wanted}. {do}", done)
    if label := kitted.doubtful_bag(line.key):
        do = "Check its value or part number with K, or say with W why it will do."
        return Now(f"What is in the bag for bin {number}?", f"“{label[:40]}” does not settle it. {do}", done)
    if kitted.to_programme(line.key):
        return Now(f"Programme bin {number}: {line.name}", "Then record the file and its version with G.", done)
    return Now(f"Fill bin {number}: {line.name}", f"{line.pull} pieces of {line.package.code}. {pieces(line)}", done)


def pieces(line: PullLine) -> str:
    """How many a batch needs of a line, and how many it may lose."""
    spare = line.pull - line.need
    return f"{line.need} for the batch and {spare} to lose." if spare else f"{line.need} for the batch."


def at_stock(lot: Lot | None) -> Now:
    """In the stock: what can be done with the lot in hand."""
    if lot is None:
        return Now(
            "Take in stock",
            "N, then form, part number, value, package, count, place, moisture level, with commas; or I and your own"
            " list.",
        )
    keys = "C counts it, V opens or bakes it, R keeps stock for this batch."
    what = f"{lot.form.capitalize()} of {lot.value or lot.part_number}."
    return Now(f"Lot {lot.id}: {lot.count} piece{'' if lot.count == 1 else 's'}", f"{what} {keys}")
