"""Design tokens: colours, type, spacing. The only module that names a colour."""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files

from msgspec import Struct
from msgspec.structs import fields
from PyQt6.QtGui import QColor, QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication

from fusilex.core.evidence import Level


class Tokens(Struct, frozen=True):
    """Colours of one theme as hexadecimal strings."""

    name: str
    ground: str  # warm paper behind everything
    bench: str  # the bench's own ground
    card: str
    ink: str
    soft: str  # secondary text, still 4.5 : 1
    hair: str  # thin separating lines
    now_ground: str
    now_ink: str
    now_soft: str
    brass: str  # copper not yet done
    brass_fill: str
    solder: str  # done
    board: str
    track: str  # copper under mask
    gold: str
    paste: str
    silk: str
    body: str  # dark plastic
    body_chip: str  # ceramic
    body_light: str  # connectors, holders
    metal: str
    lit: str  # outline of what is in hand
    go: str
    care: str
    stop: str
    unknown: str


LIGHT = Tokens(
    "light",
    ground="#f2ede4",
    bench="#e5dfd2",
    card="#fbf9f4",
    ink="#1f2b2b",
    soft="#566160",
    hair="#cfc6b4",
    now_ground="#1f2b2b",
    now_ink="#fbf9f4",
    now_soft="#c3cbc6",
    brass="#a97b2c",
    brass_fill="#d9b15a",
    solder="#87949a",
    board="#24423c",
    track="#315a51",
    gold="#d9b15a",
    paste="#ccd2d6",
    silk="#efeadd",
    body="#1c2224",
    body_chip="#a8835d",
    body_light="#d6cfb9",
    metal="#b9bfc0",
    lit="#fff3c4",
    go="#0b6e62",
    care="#9a5700",
    stop="#a3212f",
    unknown="#566160",
)

DIM = Tokens(
    "dim",
    ground="#171c1c",
    bench="#1f2625",
    card="#273030",
    ink="#e9e3d5",
    soft="#a9b3ae",
    hair="#3b4645",
    now_ground="#0d1111",
    now_ink="#f3ecdc",
    now_soft="#a9b3ae",
    brass="#c29a4d",
    brass_fill="#c29a4d",
    solder="#74828a",
    board="#1b322d",
    track="#274840",
    gold="#c29a4d",
    paste="#aeb5b9",
    silk="#cfcabd",
    body="#0f1314",
    body_chip="#8a6b4b",
    body_light="#a8a28f",
    metal="#8d9496",
    lit="#fff3c4",
    go="#5ec4b2",
    care="#e6a54b",
    stop="#f08a90",
    unknown="#a9b3ae",
)

GAP, RADIUS = 8, 8
LEAST_WIDE, LEAST_HIGH = 80, 51
"""Times the base that a window is wide and high at least: what every picture has to do with."""
HEAT = ("#24324a", "#2f5d6e", "#5f8f6a", "#c9b45a", "#e08b3a", "#c8402f")
"""From the coolest to the hottest: dark, through brass, to red; in either theme."""
SIZES = {"tiny": 0.85, "small": 0.95, "body": 1.05, "lead": 1.2, "head": 1.55, "now": 1.9, "huge": 3.0}


class Theme:
    """The theme in use. Widgets ask it when they paint, so a switch needs only a repaint."""

    def __init__(self) -> None:
        self.tokens = LIGHT
        self.base = 10.0

    def colour(self, token: str, alpha: int = 255) -> QColor:
        """A token's colour; not to be changed by the caller, it is shared."""
        return _colour(getattr(self.tokens, token), alpha)

    def level(self, level: Level) -> QColor:
        return self.colour({"go": "go", "care": "care", "stop": "stop", "unknown": "unknown"}[level.value])

    def font(self, size: str = "body", bold: bool = False, mono: bool = False) -> QFont:
        return _font("B612 Mono" if mono else "B612", self.base * SIZES[size], bold)

    def style(self) -> str:
        t = self.tokens
        return f"""
        QWidget {{ background: transparent; color: {t.ink};
            font-family: "B612"; font-size: {self.base * SIZES["body"]}pt; }}
        QMainWindow, QDialog, QMessageBox, QFileDialog {{ background: {t.ground}; }}
        QLineEdit, QSpinBox, QDoubleSpinBox, QComboBox, QPlainTextEdit, QListView, QTreeView, QTextBrowser {{
            background: {t.card}; border: 1px solid {t.hair}; border-radius: 5px; padding: 5px 8px;
            selection-background-color: {t.brass_fill}; selection-color: {LIGHT.ink}; }}
        QSpinBox::up-button, QSpinBox::down-button {{ width: 0; border: none; }}
        QProgressBar {{ background: {t.card}; border: 1px solid {t.hair}; border-radius: 5px; text-align: center; }}
        QProgressBar::chunk {{ background: {t.brass_fill}; border-radius: 4px; }}
        QHeaderView, QHeaderView::section {{ background: {t.ground}; color: {t.soft}; border: none; padding: 3px 6px; }}
        QLineEdit:focus, QSpinBox:focus, QComboBox:focus {{ border: 2px solid {t.brass}; padding: 4px 7px; }}
        QPushButton, QToolButton {{
            background: {t.card}; border: 1px solid {t.hair}; border-radius: 5px; padding: 5px 12px; }}
        QPushButton:focus, QToolButton:focus {{ border: 2px solid {t.brass}; padding: 4px 11px; }}
        QPushButton:default {{ background: {t.now_ground}; color: {t.now_ink}; }}
        QMenu {{ background: {t.card}; border: 1px solid {t.hair}; }}
        QMenu::item:selected {{ background: {t.brass_fill}; color: {LIGHT.ink}; }}
        QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
        QScrollBar:vertical {{ background: transparent; width: 8px; margin: 0; }}
        QScrollBar:horizontal {{ background: transparent; height: 8px; margin: 0; }}
        QScrollBar::handle {{ background: {t.hair}; border-radius: 4px; min-height: 30px; min-width: 30px; }}
        QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
        QToolTip {{ background: {t.now_ground}; color: {t.now_ink}; border: none; padding: 4px; }}
        """


def heat_rgb() -> list[tuple[int, int, int]]:
    """Red, green and blue of `HEAT`."""
    return [(c.red(), c.green(), c.blue()) for c in map(QColor, HEAT)]


def mixed(red: int, green: int, blue: int) -> QColor:
    """A colour that was worked out, such as one between two of `HEAT`."""
    return QColor(red, green, blue)


@lru_cache(maxsize=512)
def _colour(text: str, alpha: int) -> QColor:
    colour = QColor(text)
    colour.setAlpha(alpha)
    return colour


@lru_cache(maxsize=64)
def _font(family: str, points: float, bold: bool) -> QFont:
    font = QFont(family)
    font.setPointSizeF(points)
    font.setBold(bold)
    return font


theme = Theme()


def load_fonts() -> None:
    """Register the shipped fonts and take the desktop's font size as base."""
    folder = files("fusilex") / "assets" / "fonts"
    for name in ("B612-Regular.otf", "B612-Bold.otf", "B612Mono-Regular.otf", "B612Mono-Bold.otf"):
        QFontDatabase.addApplicationFontFromData((folder / name).read_bytes())
    size = QApplication.font().pointSizeF()
    theme.base = min(20.0, max(8.0, size if size > 0 else 10.0))
    if screen := QApplication.primaryScreen():  # no larger than its screen has room for
        room = screen.availableGeometry()
        theme.base = max(8.0, min(theme.base, room.width() / LEAST_WIDE, room.height() / LEAST_HIGH))
    QApplication.setFont(theme.font())


def use(tokens: Tokens) -> None:
    """Switch the theme of the running application."""
    theme.tokens = tokens
    app = QApplication.instance()
    if isinstance(app, QApplication):
        if app.styleSheet() != theme.style():
            app.setStyleSheet(theme.style())
        for widget in app.allWidgets():
            widget.update()


def contrast(a: str, b: str) -> float:
    """WCAG 2 contrast ratio of two colours."""

    def luminance(text: str) -> float:
        colour = QColor(text)
        parts = [
            c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4
            for c in (colour.redF(), colour.greenF(), colour.blueF())
        ]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    low, high = sorted((luminance(a), luminance(b)))
    return (high + 0.05) / (low + 0.05)


TOKEN_NAMES = tuple(f.name for f in fields(Tokens) if f.name != "name")
