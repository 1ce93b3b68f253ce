"""The run chart of weighed prints, from the batch as it stands."""

from __future__ import annotations

import math

import numpy as np

from fusilex.bench.batch import Batch
from fusilex.bench.stations.print.foil_events import Run
from fusilex.bench.stations.print.judging import weights
from fusilex.core.printing.weighing import LIMIT
from fusilex.ui.widgets.run_chart import Dot, RunChartCard

EMPTY = (
    "No print was weighed yet. G before the stroke and G after it: the first five show what is usual here, then a"
    " change is told before it makes a fault. Without a scale, marks and wipes tell it."
)


def show_weights(card: RunChartCard, batch: Batch) -> None:
    """Each print over its prediction, the band that prints usually stay in, and what the newest ones say."""
    card.empty, weighed = EMPTY, batch.state[Run].weighed
    if not weighed:
        card.show_run("Paste weighed per panel, measured over predicted", (), 1.0, (0.9, 1.1))
        return
    chart, judged = weights(batch)
    alarmed = {alarm.index for alarm in chart.alarms}
    dots = [
        Dot(one.ratio, str(n), "care" if n - 1 in alarmed else "ink", one.apart) for n, one in enumerate(weighed, 1)
    ]
    usual = [math.log(dot.value) for n, dot in enumerate(dots) if n not in alarmed and not dot.apart]
    middle = math.exp(float(np.mean(usual))) if usual else 1.0
    spread = float(np.abs(np.diff(usual)).mean()) / 1.128 if len(usual) > 2 else 0.04
    band = middle * math.exp(-LIMIT * spread), middle * math.exp(LIMIT * spread)
    title = f"Paste weighed per panel, measured over predicted ({weighed[-1].predicted_mg:.0f} mg)"
    card.show_run(title, dots, middle, band, judged[0].headline)
