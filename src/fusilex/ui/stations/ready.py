"""Ready: do the files belong together, and is everything there to start?"""

from __future__ import annotations

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
