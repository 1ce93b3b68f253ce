"""The attacks of `./run torture`, a few of each."""

from __future__ import annotations

import os

import pytest
from torture.every import FALLEN, attacks, run

ALONE, BESIDE = attacks(short=True)
SEEN = [
    what for what in FALLEN if what != "over budget"
]  # how long things take is told by the long run, never asserted


@pytest.mark.parametrize("attack", [*ALONE, *BESIDE], ids=lambda attack: attack[0].replace(" ", "-"))
def test_a_few_of_each_attack_change_nothing(attack: tuple, monkeypatch: pytest.MonkeyPatch) -> None:  # type: ignore[type-arg]
    monkeypatch.setattr("torture.every.os.environ", {**os.environ})
    _, found, _ = run(attack)
    assert sum(found.values()) > 0 and {what: found[what] for what in SEEN if found[what]} == {}
