"""What proving takes: a plan anew after a verdict, a trace over a long record, a board's papers."""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT / "tests"))

import asked as c  # noqa: E402
from asked import well  # noqa: E402
from measured import scaled, slowness  # noqa: E402
from three_causes import at_the_eyes  # noqa: E402

from fusilex.bench.history.tracing import trace  # noqa: E402
from fusilex.bench.record.bench import Bench  # noqa: E402
from fusilex.bench.report.papers import board_record, page_html  # noqa: E402
from fusilex.bench.stations.test.events import ReadingTaken  # noqa: E402
from fusilex.bench.stations.test.planning import due, plan_for  # noqa: E402
from fusilex.ui.widgets.paper import pdf_of  # noqa: E402

Row = tuple[str, str, str]
EVENTS, AGAIN = 100_000, 5


def middle(action) -> float:  # type: ignore[no-untyped-def]
    """Seconds, the middle of several."""
    return scaled(action, AGAIN)


def at_test(place: Path) -> Bench:
    """18 Herons at Test, one bin with a lot that is known."""
    bench = at_the_eyes(place / "proving.sqlite")
    c.acknowledge_all(bench)
    for serial in bench.state.boards:
        bench.do(c.InspectBoard(serial))
    bench.go("Test", "H7-01")
    return bench


def plans(bench: Bench) -> list[Row]:
    bench.do(c.SetMinutes(6))
    took = []
    for pair in due(bench.batch, bench.board)[:AGAIN]:
        began = time.perf_counter()
        bench.do(c.TakeReading("H7-01", pair.key, well(pair)))
        plan_for(bench.batch, bench.board)
        took.append((time.perf_counter() - began) / slowness())
    return [("plan of a Heron anew after a reading, saved", f"{1000 * max(took):.0f} ms", "≤ 100 ms")]


def traces(bench: Bench) -> list[Row]:
    """A record of so many events, most of them readings, as a long-lived batch has."""
    serials, pairs = list(bench.state.boards), [p.key for p in bench.batch.own.plan]
    for first in range(0, EVENTS - len(bench.record.history), 200):
        with bench.journal.writing("somebody", bench.id, place="Test") as pen:
            some = range(first, first + 200)
            pen.write(bench.id, [ReadingTaken(serials[n % 18], pairs[n % len(pairs)], None, "OL") for n in some])
    bench.refresh()
    rows = []
    for what in ("load 1", "jar 12", "F8", "H7-05", "somebody"):
        took = middle(lambda: trace(what, [bench.journal], bench))  # noqa: B023
        rows.append((f"trace of {what} over {len(bench.record.history):,} events", f"{1000 * took:.0f} ms", "≤ 300 ms"))
    cold = middle(lambda: trace("jar 12", [bench.journal]))
    rows.append(("the same of a jar in a batch that is not open yet", f"{1000 * cold:.0f} ms", "–"))
    return rows


def papers(bench: Bench) -> list[Row]:
    from fusilex.ui.frame.start import make_application

    app = make_application()
    page = middle(lambda: page_html(bench.batch, "H7-05"))
    record = middle(lambda: board_record(bench.batch, "H7-05"))
    html = page_html(bench.batch, "H7-05")
    pdf = middle(lambda: pdf_of(html, "H7-05"))
    app.processEvents()
    return [
        ("papers of a board as JSON", f"{1000 * record:.0f} ms", "≤ 1 s"),
        ("as one HTML page", f"{1000 * page:.0f} ms", "≤ 1 s"),
        ("as PDF, from that page", f"{1000 * pdf:.0f} ms", "≤ 1 s"),
    ]


def rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as place:
        bench = at_test(Path(place))
        return [*plans(bench), *papers(bench), *traces(bench)]


if __name__ == "__main__":
    print(json.dumps(rows()))
