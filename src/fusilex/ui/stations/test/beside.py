"""A command run beside the window, once somebody at this computer has seen it and agreed."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from fusilex.bench.computer.agreed import agree, agreed
from fusilex.devices.command import Plan, Ran, run_command
from fusilex.ui.desk import Desk
from fusilex.ui.search import Search
from fusilex.ui.stations.test.agree_dialog import AgreeDialog

_LEFT_S = 3600.0
"""A command ends itself long before this."""


class Beside:
    """At most one at a time; whoever starts it is told how it ended."""

    def __init__(self, owner: QWidget, desk: Desk) -> None:
        self.owner, self.desk = owner, desk
        self.search: Search | None = None
        self._then: Callable[[Ran], None] = lambda ran: None

    @property
    def busy(self) -> bool:
        return self.search is not None

    def start(self, plan: Plan, then: Callable[[Ran], None], again: Callable[[], None]) -> None:
        """Run it; one that nobody agreed to here is shown first, and all is looked at `again` afterwards."""
        if not agreed(plan):
            if self._agrees(plan):
                again()
            return
        self._then = then
        self.search = Search(lambda spent, seen: run_command(plan, lambda: spent() >= 1.0), plan.most_s + _LEFT_S)
        self.search.finished_with.connect(self._ran)
        self.search.failed.connect(self.desk.say)
        self.search.start()
        self.desk.say("")

    def _agrees(self, plan: Plan) -> bool:
        if not AgreeDialog(self.owner.window() or self.owner, plan).exec():
            self.desk.say("Nothing was run.")
            return False
        try:
            agree(plan, self.desk.bench.who)
        except OSError as problem:
            self.desk.say(f"Nothing was run: that you agreed cannot be kept ({problem.strerror or problem}).")
            return False
        return True

    def leave(self) -> None:
        if self.search is not None:
            self.search.leave()

    def _ran(self, found: object) -> None:
        assert isinstance(found, Ran) and self.search is not None
        self.search.wait()
        self.search = None
        self._then(found)
