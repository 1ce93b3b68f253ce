"""Kit: the right parts, enough of them, in reach."""

from __future__ import annotations

from fusilex.ui.keys import Key
from fusilex.ui.kit.stock import StockView
from fusilex.ui.kit.tray_view import TrayView
from fusilex.ui.view import ViewedStation


class Kit(ViewedStation):
    name = "Kit"
    view_classes = (TrayView, StockView)

    def keys(self) -> list[Key]:
        keys = super().keys()
        if "Kit" not in self.bench.state.cautions:
            return [Key("Space", "read", lambda _: self.acknowledge()), *keys[1:]]
        return keys
