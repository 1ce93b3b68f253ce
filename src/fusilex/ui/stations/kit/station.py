"""Kit: the right parts, enough of them, in reach."""

from __future__ import annotations

from fusilex.ui.stations.kit.stock import StockView
from fusilex.ui.stations.kit.tray_view import TrayView
from fusilex.ui.views import ViewedStation


class Kit(ViewedStation):
    name = "Kit"
    view_classes = (TrayView, StockView)
