"""Kit: the right parts, enough of them, in reach."""

from __future__ import annotations

from fusilex.ui.stations.kit.stock import StockView
from fusilex.ui.stations.kit.tray_view import TrayView
from fusilex.ui.tabbed import TabbedStation


class KitPicture(TabbedStation):
    name = "Kit"
    view_classes = (TrayView, StockView)
