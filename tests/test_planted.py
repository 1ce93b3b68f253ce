"""The planted faults themselves: each fits the code as it is, and names a test that there is."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from plant import FOLDER, applies, planted

ROOT = Path(__file__).parents[1]


@pytest.mark.parametrize("fault", planted(), ids=lambda fault: fault.patch.stem)
def test_a_planted_fault_fits_the_code_and_names_its_test(fault) -> None:  # type: ignore[no-untyped-def]
    assert applies(fault), "the code moved on: plant it anew"
    file, name = re.match(r"([^:]+)::(\w+)", fault.test).groups()  # type: ignore[union-attr]
    assert f"def {name}(" in (ROOT / file).read_text()


def test_faults_are_planted_at_every_station() -> None:
    said = {fault.words.split(":")[0] for fault in planted()}
    stations = {"Ready", "Make", "Kit", "Print", "Place", "Reflow", "Hand", "Inspect", "Rework", "Test", "Release"}
    assert stations <= said and len(list(FOLDER.glob("*.patch"))) >= 57
