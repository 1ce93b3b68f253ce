"""A reason is for what was judged: rule, subject, level and numbers within their own interval; how it is worded is no
matter, in this version and in older journals.
"""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path

import asked as c
import pytest
from asked import acknowledge_all
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.bench.state import Overruled
from fusilex.core import wording
from fusilex.core.evidence import Level
from fusilex.core.judgement import Facts, Judgement
from fusilex.core.older_headlines import meant
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import Said, say
from fusilex.journal.place import sqlite_url

OLD = Path(__file__).parent / "data" / "journal-before-judgements"


def judged(ratio: float = 0.55, half: float = 0.0, refs: tuple[str, ...] = ("U1", "U2"), case: str = "") -> Judgement:
    interval = (ratio - half, ratio + half) if half else None
    numbers = (Quantity("area ratio", ratio, "", interval), Quantity("stencil thickness", 0.12, "mm"))
    return Judgement("print.release", Level.STOP, "top U1", say(case or "will not release"), numbers, None, refs)


def reason(j: Judgement) -> Overruled:
    return Overruled("seen", "2026-01-01", j.headline, "Print", j.level.value, "", Facts.of(j))


@given(st.floats(0.3, 0.9), st.floats(0.002, 0.1), st.floats(-0.3, 0.3))
def test_a_number_is_covered_within_its_own_interval_and_no_further(ratio: float, half: float, off: float) -> None:
    stands = reason(judged(ratio, half)).covers(judged(ratio + off, half))
    assert stands == (ratio - half <= ratio + off <= ratio + half)


@given(st.floats(0.1, 0.999), st.floats(-0.05, 0.05))
def test_an_exact_number_is_covered_as_far_as_it_is_shown_alike(ratio: float, off: float) -> None:
    if not reason(judged(ratio)).covers(judged(ratio + off)):
        assert abs(off) >= 0.5e-3 or off == pytest.approx(0.5e-3)
    else:
        assert abs(off) <= 0.5e-3


def test_another_level_part_case_name_or_missing_number_is_another_judgement() -> None:
    own = judged()
    given_for = reason(own)
    assert given_for.covers(own) and given_for.covers(replace(own, refs=("U1",))), "fewer parts are no new fault"
    bag = Judgement("kit.bag", Level.STOP, "b", say("wrong", what="value", found="4.7 kΩ", wanted="47 kΩ"))
    assert reason(bag).covers(replace(bag, advice=say("put it back")))
    for other in (
        replace(own, level=Level.CARE),
        replace(own, refs=("U1", "U9")),
        judged(case="may not release"),
        judged(0.54),
        replace(own, quantities=own.quantities[:1]),
    ):
        assert not given_for.covers(other)
    assert not reason(bag).covers(replace(bag, says=say("wrong", what="value", found="4.7 MΩ", wanted="47 kΩ")))


def test_a_better_wording_opens_nothing_again(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    acknowledge_all(bench)
    bench.go("Print", "H7-01")
    bench.do(c.ChooseFoil(0.3, ""))
    stops = bench.route.open_stops(bench.batch, "Print")
    for stop in stops:
        bench.do(c.Overrule(stop.key, "seen", Facts.of(stop)))
    said = [s.headline for s in stops]
    monkeypatch.setattr(wording, "template", lambda rule, case: f"Release 2 calls it {rule} {case}")
    again = Bench(bench.journal, bench.id)
    again.go("Print", "H7-01")
    assert stops and not again.route.open_stops(again.batch, "Print")
    assert [s.headline for s in stops] != said
    monkeypatch.undo()
    again.do(c.ChooseFoil(0.32, ""))
    assert again.route.open_stops(again.batch, "Print"), "other numbers are another judgement"


def test_what_runs_by_the_clock_is_covered_until_its_level_changes() -> None:
    def at(hours: float, level: Level) -> Judgement:
        spent = Quantity("open", hours, "h", runs=True)
        return Judgement("kit.moisture", level, "L", say("life left", name="L", left=spent), (spent,))

    held = reason(at(160.0, Level.CARE))
    assert held.covers(at(167.0, Level.CARE)) and not held.covers(at(169.0, Level.STOP))


def test_facts_go_through_json_whatever_numbers_there_are(bench: Bench) -> None:
    wild = (Quantity("a", float("inf"), "mm"), Quantity("b", float("nan")), Quantity("c", 1.0, "", (0.0, float("inf"))))
    own = replace(judged(), quantities=wild)
    assert reason(own).covers(own)
    numbers = json.loads(json.dumps(Facts.of(own).numbers))
    assert set(numbers) == {"c"}


def test_overrulings_of_older_journals_hold_as_they_were_meant(tmp_path: Path) -> None:
    """A journal of the version before, in which 28 judgements of all levels were set aside by their sentences."""
    place = tmp_path / "j.sqlite"
    shutil.copy(OLD.with_suffix(".sqlite"), place)
    journal = open_journal(sqlite_url(place))
    bench = Bench(journal, journal.batches()[0].id)
    told = json.loads(OLD.with_suffix(".json").read_text())
    assert len(told) == 28
    for one in told:
        bench.go(one["step"], "H7-01")
        (now,) = [j for j in bench.judgements(one["step"]) if j.key == one["key"]]
        assert bench.state.overruling(now), (one["headline"], now.headline)
        if one["headline"] != now.headline and re.search(r"\d", one["headline"]) and "H7-" not in one["headline"]:
            other = Overruled("x", "", changed_number(one["headline"]), "", one["level"])
            assert not other.covers(now), (other.headline, now.headline)


def changed_number(sentence: str) -> str:
    """The sentence with its last number one larger."""
    at = max(n for n, ch in enumerate(sentence) if ch.isdigit())
    start = at
    while start and sentence[start - 1].isdigit():
        start -= 1
    return f"{sentence[:start]}{int(sentence[start : at + 1]) + 1}{sentence[at + 1 :]}"


@pytest.mark.parametrize(
    ("sentence", "says", "refs", "same"),
    [
        ("U1 may not release", say("may not release"), ("U1",), True),
        ("U1 may not release", say("may not release"), ("U1", "U2"), False),
        ("U1, U2 and 3 more may not release", say("may not release"), ("U1", "U2", "R1", "R2", "R3"), True),
        ("U1, U2 and 3 more may not release", say("may not release"), ("U1", "U2", "R1", "R2"), False),
        ("Use a foil of 0.08 mm", say("thinner stencil", thin=amount(0.08, "mm")), (), True),
        ("Use a foil of 0.08 mm", say("thinner stencil", thin=amount(0.09, "mm")), (), False),
    ],
)
def test_older_sentences_are_told_by_their_numbers_and_parts(
    sentence: str, says: Said, refs: tuple[str, ...], same: bool
) -> None:
    assert meant(sentence, Judgement("print.release", Level.CARE, "top", says, (), None, refs)) is same
