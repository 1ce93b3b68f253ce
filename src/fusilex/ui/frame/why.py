"""F1: why a judgement says what it says: rule, source, inputs; and where it can be overruled."""

from __future__ import annotations

from html import escape

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QTextBrowser, QVBoxLayout, QWidget

from fusilex.bench.rooms import RULES
from fusilex.core.judgement import Because, Judgement
from fusilex.ui.theme import theme

_WORDS = {"go": "Go", "care": "Care", "stop": "Stop", "unknown": "Can't tell"}


def why_html(judgement: Judgement, overruled: str = "") -> str:
    """The explanation as HTML."""
    rule = RULES.get(judgement.rule)
    rows = "".join(_row(b) for b in judgement.because)
    parts = [f"<h2>{_WORDS[judgement.level.value]}: {escape(judgement.headline)}</h2>"]
    if judgement.do:
        parts.append(f"<p>{escape(judgement.do)}</p>")
    if rule:
        parts.append(f"<h3>Rule</h3><p>{escape(rule.text)}</p><h3>Source</h3><p>{escape(rule.source)}</p>")
    if rows:
        parts.append(f"<h3>Inputs</h3><table>{rows}</table>")
    if judgement.refs:
        parts.append(f"<h3>Parts</h3><p>{escape(', '.join(judgement.refs))}</p>")
    if overruled:
        parts.append(f"<h3>Overruled</h3><p>{escape(overruled)}</p>")
    return "".join(parts)


def _row(because: Because) -> str:
    value = f"{because.value:.4g}" if isinstance(because.value, float) else str(because.value)
    numbers = f"<b>{escape(value)}</b> {escape(because.unit)}"
    return f"<tr><td style='padding-right:24px'>{escape(because.what)}</td><td>{numbers}</td></tr>"


class Why(QDialog):
    """Shows one judgement's reasons; Esc or Enter closes."""

    def __init__(self, parent: QWidget, judgement: Judgement, overruled: str = "") -> None:
        super().__init__(parent)
        self.setWindowTitle("Why")
        self.resize(round(theme.base * 56), round(theme.base * 46))
        text = QTextBrowser()
        text.setHtml(why_html(judgement, overruled))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addWidget(text)
        column.addWidget(buttons)
        if close := buttons.button(QDialogButtonBox.StandardButton.Close):
            close.setFocus()
