"""A few of the keys of `./run torture`: the window stays whole, and a second look at the journal sees the same."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot
from torture.any_keys import Hands

from fusilex.ui.frame.start import make_application


@pytest.mark.parametrize("seed", [3, pytest.param(5, marks=pytest.mark.long), pytest.param(8, marks=pytest.mark.long)])
def test_any_keys_leave_it_whole(seed: int, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for owner, name in ((sys, "excepthook"), (QFileDialog, "getSaveFileName"), (QFileDialog, "getOpenFileName")):
        monkeypatch.setattr(owner, name, getattr(owner, name))  # the hands put others there: these come back
    make_application()
    hands = Hands(tmp_path, seed, QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(hands.window)
    for _ in range(5):
        hands.press(50)
        hands.compare()
    assert +hands.found == {"keys": 250}
