"""What the frame's keys and dialogs ask of the window, without knowing it."""

from __future__ import annotations

from typing import Any, Protocol

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QWidget

from fusilex.bench.record.bench import Bench
from fusilex.journal.store import Journal
from fusilex.ui.desk import Desk
from fusilex.ui.frame.judgement_list import Judgements
from fusilex.ui.picture import StationPicture


class Host(Protocol):
    """The window: what is on the screen, and how to put something else there."""

    desk: Desk
    home: Journal
    settings: QSettings
    judged: Judgements
    files: Any
    batches: Any
    care: Any

    @property
    def station(self) -> StationPicture: ...
    def widget(self) -> QWidget: ...
    def show_bench(self, bench: Bench) -> None: ...
    def refresh(self) -> None: ...
    def go(self, station: str) -> None: ...
    def menu(self) -> None: ...
    def workshop(self) -> None: ...
    def close(self) -> bool: ...
