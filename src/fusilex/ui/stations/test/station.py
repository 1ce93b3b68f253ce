"""Test: what to probe, first power and functions, and the same measurement across boards."""

from __future__ import annotations

from fusilex.ui.desk import Desk
from fusilex.ui.stations.test.across_view import AcrossView
from fusilex.ui.stations.test.probe_view import ProbeView
from fusilex.ui.stations.test.prove_view import ProveView
from fusilex.ui.tabbed import TabbedStation


class TestPicture(TabbedStation):
    name = "Test"
    view_classes = (ProbeView, ProveView, AcrossView)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.add_strip()
