"""The curves of a live run: what was measured over what was foretold; by eye what was foretold alone."""

from __future__ import annotations

import numpy as np

from fusilex.bench.stations.reflow.live import LiveLog
from fusilex.core.heat.predict import Predicted
from fusilex.core.reflow.record import Trace


def foretold_at(found: Predicted | None, name: str) -> Trace | None:
    """The curve that the twin foretells where a probe sits: its part's joints, else the mean of all."""
    if found is None:
        return None
    ref, _, cell = name.removeprefix("probe ").strip().partition("@")
    at = int(cell) - 1 if cell.isdecimal() else 0
    own = [k for k, j in enumerate(found.joints) if j.part == ref and j.cell == at]
    curves = found.run.watched[:, own or range(len(found.joints)), 0]
    return Trace(found.run.time, np.asarray(curves.mean(axis=1)))


def live_traces(log: LiveLog, found: Predicted | None) -> tuple[dict[str, Trace], Trace | None]:
    """Curves by name, and the one that the window's gates hang on."""
    traces: dict[str, Trace] = {}
    hang = None
    for k, name in enumerate(log.names):
        t, c = log.curve(k)
        if len(t) > 1:
            traces[name] = Trace(t, c)
        if (foretold := foretold_at(found, name)) is not None:
            traces[f"{name} foretold"] = foretold
            hang = hang or foretold
    if found is not None and not log.names:
        for k, what in ((found.last, "last"), (found.hottest, "hottest")):
            joint, curve = found.joints[k], found.run.watched[:, k, 0]
            traces[f"{joint.part} foretold, {what}"] = Trace(found.run.time, curve)
    return traces, hang
