"""Ready: do the files belong together, and is everything there to start?"""

from __future__ import annotations

from fusilex.bench.commands import AcceptFiles
from fusilex.ui.keys import Key
from fusilex.ui.ready.bare import BareView
from fusilex.ui.ready.board import BoardView
from fusilex.ui.ready.lists import ListsView
from fusilex.ui.ready.next_time import NextTimeView
from fusilex.ui.ready.panel import PanelView
from fusilex.ui.ready.parts import PartsView
from fusilex.ui.ready.sides import SidesView
from fusilex.ui.view import ViewedStation


class Ready(ViewedStation):
    name = "Ready"
    view_classes = (BoardView, ListsView, PartsView, PanelView, SidesView, BareView, NextTimeView)

    def keys(self) -> list[Key]:
        keys = super().keys()
        if any(k.keys == "Space" for k in keys):
            return keys
        return [Key("Space", "accept the files", lambda _: self._accept()), *keys]

    def _accept(self) -> None:
        if self.desk.do(AcceptFiles(), "Files accepted."):
            self.desk.go("Kit")
