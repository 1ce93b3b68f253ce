"""F1: why a judgement says what it says: rule, source, inputs; and where it can be overruled."""

from __future__ import annotations

import math
from html import escape

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QTextBrowser, QVBoxLayout, QWidget

from fusilex.bench.batch import Batch
from fusilex.bench.rooms import RULES
from fusilex.core.judgement import Judgement
from fusilex.core.labels import label
from fusilex.core.quantities import Quantity, write, write_range
from fusilex.ui.theme import theme

_WORDS = {"go": "Go", "care": "Care", "stop": "Stop", "unknown": "Can't tell"}


def why_html(judgement: Judgement, batch: Batch | None = None, overruled: str = "") -> str:
    """The explanation as HTML, with the rule's numbers as they are for a batch."""
    rule = RULES.get(judgement.rule)
    rows = "".join(_row(q) for q in judgement.quantities)
    parts = [f"<h2>{_WORDS[judgement.level.value]}: {escape(judgement.headline)}</h2>"]
    if judgement.do:
        parts.append(f"<p>{escape(judgement.do)}</p>")
    if rule:
        text, source = rule.text(judgement.rule, batch), rule.source(judgement.rule, batch)
        parts.append(f"<h3>Rule</h3><p>{escape(text)}</p><h3>Source</h3><p>{escape(source)}</p>")
    if judgement.missing:
        parts.append(f"<h3>Missing</h3><p>{escape(', '.join(map(label, judgement.missing)))}</p>")
    if judgement.coverage:
        counts = (f"{c.seen} of {c.of} {label(c.what)}" for c in judgement.coverage)
        parts.append(f"<h3>Seen</h3><p>{escape(', '.join(counts))}</p>")
    if rows:
        parts.append(f"<h3>Inputs</h3><table>{rows}</table>")
    if judgement.refs:
        parts.append(f"<h3>Parts</h3><p>{escape(', '.join(judgement.refs))}</p>")
    if overruled:
        parts.append(f"<h3>Overruled</h3><p>{escape(overruled)}</p>")
    return "".join(parts)


def _row(q: Quantity) -> str:
    words = f"<b>{escape(q.amount(digits=4))}</b>"
    if q.interval is not None:
        words += f", 95 % {escape(write_range(*q.interval, q.unit))}"
    if q.limit is not None:
        words += f", limit {escape(_limit(q))}"
    return f"<tr><td style='padding-right:24px'>{escape(label(q.what))}</td><td>{words}</td></tr>"


def _limit(q: Quantity) -> str:
    low, high = q.limit or (-math.inf, math.inf)
    if math.isinf(low):
        words = f"up to {write(high, q.unit)}"
    else:
        words = f"from {write(low, q.unit)}" if math.isinf(high) else write_range(low, high, q.unit)
    return f"{words} ({q.source})" if q.source else words


class Why(QDialog):
    """Shows one judgement's reasons; Esc or Enter closes."""

    def __init__(self, parent: QWidget, judgement: Judgement, batch: Batch | None = None, overruled: str = "") -> None:
        super().__init__(parent)
        self.setWindowTitle("Why")
        self.resize(round(theme.base * 56), round(theme.base * 46))
        text = QTextBrowser()
        text.setHtml(why_html(judgement, batch, overruled))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addWidget(text)
        column.addWidget(buttons)
        if close := buttons.button(QDialogButtonBox.StandardButton.Close):
            close.setFocus()
