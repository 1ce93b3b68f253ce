"""One record, its fields as lines to type in."""

from __future__ import annotations

import shlex
from typing import Any, get_args, get_origin, get_type_hints

import msgspec
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QWidget

from fusilex.bench.workshop.record import Record
from fusilex.bench.workshop.records import read_record
from fusilex.core.problems import BadInput
from fusilex.ui.theme import theme
from fusilex.ui.widgets.words import plain_label


class Form(QDialog):
    """Enter keeps what stands there, once every field makes sense; Esc leaves it."""

    def __init__(self, parent: QWidget, kind: type[Record], record: Record | None = None) -> None:
        super().__init__(parent)
        self.kind, self.made = kind, record
        self.setWindowTitle(kind.title)
        form = QFormLayout(self)
        form.setVerticalSpacing(round(theme.base * 0.8))
        about = plain_label(about_kind(kind), wrapped=True)
        about.setMinimumWidth(round(theme.base * 46))
        form.addRow(about)
        shown = msgspec.to_builtins(record) if record else {}
        self.lines: dict[str, QLineEdit] = {}
        self.whole: dict[str, Any] = {}  # what has parts of its own is no line to type in, and stays as it is
        for field in msgspec.structs.fields(kind):
            value = shown.get(field.encode_name, "" if field.required else _usual(field))
            if is_table(kind, field.encode_name):
                value = ", ".join(f"{key}: {number:g}" for key, number in value.items())
            elif has_parts(value):
                self.whole[field.encode_name] = value
                continue
            line = self.lines[field.encode_name] = QLineEdit(text_of(value, between(kind, field.encode_name)))
            label = "name" if field.encode_name == "id" else field.encode_name.replace("_", " ")
            line.setAccessibleName(label)
            if choices := choices_of(kind, field.encode_name):
                line.setPlaceholderText(", ".join(c for c in choices if c))
                line.setToolTip("one of " + ", ".join(c or "nothing" for c in choices))
            form.addRow(plain_label(label.capitalize()), line)
        if self.whole:
            left = ", ".join(name.replace("_", " ") for name in self.whole).capitalize()
            words = f"{left}: in their own picture, or as JSON with W and R."
            form.addRow(plain_label(words, wrapped=True))
        self.said = plain_label(wrapped=True)
        form.addRow(self.said)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.keep)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)
        self.lines["id"].setReadOnly(record is not None)
        (self.lines["id"] if record is None else list(self.lines.values())[2]).setFocus()

    def keep(self) -> None:
        """Accept the record, or say which field makes no sense."""
        body = {name: _value(line.text()) for name, line in self.lines.items()}
        hints = get_type_hints(self.kind)
        texts = {name: line.text().strip() for name, line in self.lines.items()}
        body |= {name: _table(text) for name, text in texts.items() if is_table(self.kind, name)}
        body |= {name: _words(text) for name, text in texts.items() if is_words(self.kind, name)}
        body |= {name: _mixed(text) for name, text in texts.items() if is_mixed(self.kind, name)}
        body |= {name: [] for name, text in texts.items() if not text and get_origin(hints.get(name)) is tuple}
        body |= {name: text for name, text in texts.items() if hints.get(name) is str or choices_of(self.kind, name)}
        try:
            self.made = read_record({**self.whole, **body, "kind": self.kind.what})
        except BadInput as problem:
            self.said.setText(f"{problem.found}.".replace("`", "").replace("$.", ""))
        else:
            self.accept()


def about_kind(kind: type[Record]) -> str:
    """What a kind of record is, for people."""
    return " ".join((kind.__doc__ or "").replace("`", "").split())


def choices_of(kind: type[Record], name: str) -> tuple[str, ...]:
    """The words a field may be, () for one that is free."""
    found = get_args(get_type_hints(kind).get(name))
    return tuple(found) if found and all(isinstance(one, str) for one in found) else ()


def _usual(field: msgspec.structs.FieldInfo) -> Any:
    """What a field is where nobody says otherwise."""
    made = field.default if field.default is not msgspec.NODEFAULT else field.default_factory()
    return msgspec.to_builtins(made)


def is_table(kind: type[Record], name: str) -> bool:
    """True for a field of numbers by name, typed as ``U1: 245, U4: 230``."""
    hint = get_type_hints(kind).get(name)
    return get_origin(hint) is dict and get_args(hint)[1] is float


def _table(text: str) -> Any:
    """Numbers by name; the text itself where it is no such thing, for the record to refuse."""
    pairs = [pair.rpartition(":") for pair in text.split(",") if pair.strip()]
    try:
        return {name.strip(): float(number) for name, _, number in pairs}
    except ValueError:
        return text


def is_words(kind: type[Record], name: str) -> bool:
    """True for a field of words, typed as a command line is: ``write-it --file "my file.bin"``."""
    return get_type_hints(kind).get(name) == tuple[str, ...]


def _words(text: str) -> Any:
    """Words as a command line has them; the text itself where a quote is not closed, for the record to refuse."""
    try:
        return shlex.split(text)
    except ValueError:
        return text


def is_mixed(kind: type[Record], name: str) -> bool:
    """True for rows of words and numbers, typed as ``1:2:1000000:0, 3:2:10000:0``."""
    hint = get_type_hints(kind).get(name)
    return get_origin(hint) is tuple and str in get_args(get_args(hint)[0])


def _mixed(text: str) -> list[list[Any]]:
    rows = [[cell.strip() for cell in row.split(":")] for row in text.split(",") if row.strip()]
    return [[*row[:2], *(_value(cell) for cell in row[2:])] for row in rows]


def has_parts(value: Any) -> bool:
    """True for a value that is made of named parts, or is a list of such."""
    return isinstance(value, dict) or (isinstance(value, list | tuple) and bool(value) and isinstance(value[0], dict))


def between(kind: type[Record], name: str) -> str:
    """What stands between a field's two numbers: a range goes from one to the other, a place has x and y."""
    return " to " if get_type_hints(kind, include_extras=True).get(name) == tuple[float, float] else ", "


def text_of(value: Any, joint: str = " to ") -> str:
    """A field's value in words; pairs as ``10: 4383, 25: 730.5``, lists of things with parts by their number."""
    if isinstance(value, dict):
        return " ".join(f"{k} {text_of(v)}" for k, v in value.items())
    if has_parts(value):
        return str(len(value))
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list | tuple):
        if value and isinstance(value[0], list | tuple):
            return ", ".join(": ".join(text_of(v) for v in pair) for pair in value)
        if value and isinstance(value[0], str):
            return shlex.join(value)
        return joint.join(f"{v:g}" for v in value)
    return f"{value:g}" if isinstance(value, float) else str(value)


def _value(text: str) -> Any:
    """What was typed as JSON means it: a number, a range, pairs, yes or no, or words."""
    text = text.strip()
    if text in ("yes", "no"):
        return text == "yes"
    if text.isascii() and text.isdecimal() and len(text) < 16:
        return int(text)
    try:
        if ":" in text:
            return [[float(v) for v in pair.split(":")] for pair in text.split(",")]
        low, to, high = text.partition(" to " if " to " in text else ", ")
        return [float(low.replace(",", ".")), float(high.replace(",", "."))] if to else float(text.replace(",", "."))
    except ValueError:
        return text
