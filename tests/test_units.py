"""With inch and °F chosen, nothing that a person reads says mm or °C; JSON says mm and °C whatever is chosen."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from conftest import HERON, OpenWindow
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QApplication

from fusilex.app import main
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.papers import board_record
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import FAHRENHEIT, INCH, METRIC, Quantity, Units, choose, converted, read, write
from fusilex.core.wording import say
from fusilex.ui.frame.judgement_list import JudgementCard
from fusilex.ui.tabbed import TabbedStation

IMPERIAL = Units(inch=True, fahrenheit=True)
MADE_OF = re.compile(r"(?<![\w.])-?\d[\d.]* ?(?:mm[²³]?|°C|µm)(?![\w])")
TYPED = re.compile(r"such as|for example|e\.g\.|\bin mm\b|°C and %")
"""What a person types is in mm and °C; so far."""


@pytest.fixture
def imperial() -> Iterator[None]:
    choose(IMPERIAL)
    yield
    choose(METRIC)


@pytest.fixture
def painted(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Every text that is drawn from now on."""
    texts: list[str] = []
    draw = QPainter.drawText

    def drawn(self: QPainter, *what: object) -> object:
        texts.extend(w for w in what if isinstance(w, str))
        return draw(self, *what)  # type: ignore[call-overload]

    monkeypatch.setattr(QPainter, "drawText", drawn)
    return texts


def test_no_screen_says_mm_or_celsius_where_inch_and_fahrenheit_are_chosen(
    placed: Bench, open_window: OpenWindow, painted: list[str], imperial: None
) -> None:
    window = open_window(placed)
    choose(IMPERIAL)
    for step in placed.batch.steps:
        window.desk.go(step.id, next(iter(placed.state.boards)))
        views = len(window.station.view_classes) if isinstance(window.station, TabbedStation) else 1
        for view in range(views):
            if isinstance(window.station, TabbedStation):
                window.station.show_view(view)
            window.refresh()
            QApplication.processEvents()
            window.grab()
            painted += [
                window.now_card.now.title,
                window.now_card.now.detail,
                *(v for _, v in window.station.facts()[1]),
            ]
            painted += [word for j in window.judged.items for word in (j.headline, j.do)]
            painted += [q.text() for j in window.judged.items for q in j.quantities]
    assert len(painted) > 1_000 and any("°F" in t for t in painted) and any(re.search(r"\d in\b", t) for t in painted)
    assert not sorted({t for t in painted if MADE_OF.search(t) and not TYPED.search(t)})


def test_json_is_metric_and_keeps_its_numbers_whatever_is_chosen(placed: Bench) -> None:
    def told() -> object:
        steps = [j.as_dict() for s in placed.batch.steps for j in placed.judgements(s.id)]
        return steps, board_record(placed.batch, placed.view.board)

    before = told()
    choose(IMPERIAL)
    try:
        assert told() == before
    finally:
        choose(METRIC)


def test_a_toggle_says_the_same_judgement_in_other_units(placed: Bench, open_window: OpenWindow) -> None:
    window = open_window(placed)
    window.desk.go("Print", next(iter(placed.state.boards)))
    said = lambda: [(j.headline, [q.text() for q in j.quantities]) for j in window.judged.items]  # noqa: E731
    metric, held = said(), list(window.judged.items)
    window.frame_keys.turn_units()
    assert window.judged.items == held and said() != metric
    cards = [card.accessibleName() for card in window.judged.findChildren(JudgementCard)][-len(held) :]
    assert cards == [f"{j.level.value}: {j.headline}. {j.do}" for j in held], "no card says what it said before"
    for _ in range(3):
        window.frame_keys.turn_units()
    assert said() == metric


VERBS = (
    ["openings", HERON, "--foil", "0.12"],
    ["refs", HERON, "--suggest", "3"],
    ["tour", HERON, "--field", "6,4"],
    ["probes", HERON],
    ["cuts", HERON],
)


@pytest.mark.parametrize("verb", VERBS, ids=lambda v: v[0])
def test_verbs_speak_in_the_units_asked_for(
    verb: list[str], capsys: pytest.CaptureFixture[str], imperial: None
) -> None:
    assert main([*map(str, verb), "--inch", "--fahrenheit"]) == 0
    said = capsys.readouterr().out
    assert not MADE_OF.findall(said)
    assert re.search(r"\d in\b", said) or verb[0] == "openings"
    main([*map(str, verb), "--inch", "--json"])
    inch = capsys.readouterr().out
    main([*map(str, verb), "--json"])
    assert inch == capsys.readouterr().out


@given(st.floats(0.001, 900.0), st.sampled_from([*INCH, *FAHRENHEIT]))
def test_what_is_converted_keeps_its_size(value: float, unit: str) -> None:
    shown, name = converted(value, unit, IMPERIAL)
    factor, offset = (*INCH[unit][1:], 0.0) if unit in INCH else FAHRENHEIT[unit][1:]
    assert (shown - offset) / factor == pytest.approx(value) and name not in ("mm", "°C")
    assert converted(value, unit, METRIC)[0] == value


@given(st.floats(0.002, 500.0), st.sampled_from(("mm", "°C")), st.booleans())
def test_what_is_written_is_read_again(value: float, unit: str, imperial: bool) -> None:
    text = write(value, unit, 6, IMPERIAL if imperial else METRIC)
    assert read(text, unit) == pytest.approx(value, rel=1e-4, abs=2e-4)
    bare = text.split(" ")[0]
    assert read(bare, unit, IMPERIAL if imperial else METRIC) == pytest.approx(value, rel=1e-4, abs=2e-4)


@pytest.mark.parametrize("text", ["", "mm", "12 kg", "1 2", "0x10", "1e3 mm", "nan mm", "12 mm 3", "½ in", "5 s"])
def test_what_is_no_length_is_refused(text: str) -> None:
    with pytest.raises(ValueError):
        read(text, "mm")


def test_differences_of_temperatures_have_no_offset() -> None:
    judged = Judgement("reflow.oven", Level.CARE, "load 1", say("off its model"), (Quantity("off", 10.0, "K"),))
    assert (judged.words(METRIC), judged.words(IMPERIAL)) == (
        "Oven ran 10 °C off its model",
        "Oven ran 18 °F off its model",
    )
