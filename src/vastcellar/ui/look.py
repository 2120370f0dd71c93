"""The look: palette, type and number style, handed to every widget that draws."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from PySide6.QtCore import QLocale, QObject, QSettings, Signal
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette

from vastcellar.core.evidence import Verdict
from vastcellar.core.units import NumberFormat
from vastcellar.data import data_path


@dataclass(frozen=True, slots=True)
class Palette:
    """Cellar stone and copper. Fills may be softer than text; ``*_text`` pass WCAG AA."""

    name: str
    ground: str
    panel: str
    drawer: str
    ink: str
    soft: str
    line: str
    rail: str
    rail_soft: str
    copper: str
    copper_text: str
    on_copper: str
    moss: str
    moss_text: str
    ochre: str
    ochre_text: str
    brick: str
    brick_text: str
    water: str
    stone: str
    chosen: str


TEXT_SETTING = "text_percent"
TEXT_SIZES = (100, 125, 150)
"""In per cent: text, and everything beside it in proportion."""


LIGHT = Palette(
    name="light",
    ground="#ECE7DE",
    panel="#F7F4EE",
    drawer="#E3DCD0",
    ink="#22272C",
    soft="#52585E",
    line="#CFC6B8",
    rail="#2E3840",
    rail_soft="#A3ABB1",
    copper="#B25A22",
    copper_text="#94470F",
    on_copper="#FFFFFF",
    moss="#47724A",
    moss_text="#3B623E",
    ochre="#B07C12",
    ochre_text="#7E5507",
    brick="#A13A2C",
    brick_text="#9A3629",
    water="#7F9BA8",
    stone="#D9D1C4",
    chosen="#E3DCD0",
)
DARK = Palette(
    name="dark",
    ground="#1C2227",
    panel="#252D33",
    drawer="#2E3840",
    ink="#EDE8DE",
    soft="#ABB3B9",
    line="#3D4850",
    rail="#151A1E",
    rail_soft="#A3ABB1",
    copper="#E08A4B",
    copper_text="#E39154",
    on_copper="#1C2227",
    moss="#7FB07F",
    moss_text="#86B786",
    ochre="#D9AE4E",
    ochre_text="#D9AE4E",
    brick="#E07A66",
    brick_text="#EA8E7B",
    water="#5F8496",
    stone="#3A454D",
    chosen="#2E3840",
)

FAMILY = "Barlow"
CONDENSED = "Barlow Semi Condensed"
SIZES_PX = (12, 13, 14, 15, 17, 22)


def load_fonts() -> None:
    """Register the fonts that ship. Qt must be up."""
    for path in sorted(data_path("fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


@lru_cache(maxsize=64)
def font(size_px: int = 14, weight: int = 400, *, condensed: bool = False) -> QFont:
    """Return the bundled font with tabular figures, so that numbers align. Don't change it."""
    made = QFont(CONDENSED if condensed else FAMILY)
    made.setPixelSize(size_px)
    made.setWeight(QFont.Weight(weight))
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def number_format(locale: QLocale) -> NumberFormat:
    """Return how *locale* writes decimals; thousands stay apart by a thin space everywhere."""
    return NumberFormat(decimal_point=locale.decimalPoint())


class Look(QObject):
    """The palette in force and how numbers are written; says when it changes."""

    changed = Signal()

    def __init__(self, palette: Palette = LIGHT, numbers: NumberFormat | None = None) -> None:
        super().__init__()
        self.palette = palette
        self.numbers = numbers or number_format(QLocale())
        self._colors: dict[tuple[str, int], QColor] = {}
        """Made before: a picture asks for the same few a thousand times."""

    def set_palette(self, palette: Palette) -> None:
        """Change to *palette* and tell every view."""
        if palette is not self.palette:
            self.palette = palette
            self._colors.clear()
            self.changed.emit()

    def color(self, name: str, alpha: int = 255) -> QColor:
        """Return the palette's colour *name*. Don't change it."""
        made = self._colors.get((name, alpha))
        if made is None:
            made = QColor(getattr(self.palette, name))
            made.setAlpha(alpha)
            self._colors[name, alpha] = made
        return made

    def verdict_color(self, verdict: Verdict, *, text: bool = False) -> QColor:
        """Return the colour of a verdict; shape and word say the same beside it."""
        return self.color(verdict_name(verdict, text=text))


def verdict_name(verdict: Verdict, *, text: bool = False) -> str:
    """Return the palette's name of a verdict's colour, as a fill or as text."""
    name = {
        Verdict.HOLDS: "moss",
        Verdict.TIGHT: "ochre",
        Verdict.FALLS_SHORT: "brick",
        Verdict.NOT_KNOWN: "soft",
    }[verdict]
    return f"{name}_text" if text and name != "soft" else name


def text_percent(settings: QSettings) -> int:
    """Return the chosen size of text; the usual one where the setting is none of ours."""
    try:
        percent = int(str(settings.value(TEXT_SETTING, TEXT_SIZES[0])))
    except ValueError:
        return TEXT_SIZES[0]
    return percent if percent in TEXT_SIZES else TEXT_SIZES[0]


def qt_palette(look: Look) -> QPalette:
    """Return the colours that Qt's style takes where no style sheet says otherwise.

    Without them focus and selection are drawn in the desktop's own colour.
    """
    made, role = QPalette(), QPalette.ColorRole
    for which, name in (
        (role.Window, "ground"),
        (role.Base, "panel"),
        (role.AlternateBase, "ground"),
        (role.Button, "panel"),
        (role.WindowText, "ink"),
        (role.Text, "ink"),
        (role.ButtonText, "ink"),
        (role.PlaceholderText, "soft"),
        (role.Highlight, "copper"),
        (role.HighlightedText, "on_copper"),
        (role.Accent, "copper"),
        (role.Link, "copper_text"),
        (role.ToolTipBase, "panel"),
        (role.ToolTipText, "ink"),
    ):
        made.setColor(which, look.color(name))
    for which in (role.WindowText, role.Text, role.ButtonText):
        made.setColor(QPalette.ColorGroup.Disabled, which, look.color("soft"))
    return made


def style_sheet(look: Look) -> str:
    """Return the style of Qt's own widgets in the palette of *look*."""
    p = look.palette
    return f"""
    * {{ font-family: "{FAMILY}"; font-size: 14px; color: {p.ink}; }}
    QMainWindow, QDialog, QWidget#stage {{ background: {p.ground}; }}
    QToolTip {{ background: {p.panel}; color: {p.ink}; border: 1px solid {p.line}; padding: 4px; }}
    QFrame#card {{ background: {p.panel}; border: 1px solid {p.line}; border-radius: 8px; }}
    QLabel#soft {{ color: {p.soft}; font-family: "{CONDENSED}"; font-size: 13px; }}
    QLabel#title {{ font-size: 22px; font-weight: 600; }}
    QLabel#head {{ font-size: 15px; font-weight: 600; }}
    QLabel#key {{ font-weight: 600; font-family: "{CONDENSED}"; }}
    QLabel#step {{ font-size: 17px; }}
    QLabel#ghost {{ color: {p.moss_text}; font-weight: 500; font-size: 13px; }}
    QLabel#wrong {{ color: {p.brick_text}; font-family: "{CONDENSED}"; font-size: 13px; }}
    QPlainTextEdit {{
        background: {p.ground}; border: 1px solid {p.line}; border-radius: 4px;
        selection-background-color: {p.copper}; selection-color: {p.on_copper};
    }}
    QLineEdit, QComboBox, QSpinBox {{
        background: {p.ground}; border: 1px solid {p.line}; border-radius: 4px;
        padding: 2px 6px; min-height: 20px; selection-background-color: {p.copper};
        selection-color: {p.on_copper};
    }}
    QFrame#card QLineEdit, QFrame#card QComboBox {{ background: {p.ground}; }}
    QLineEdit:focus, QComboBox:focus, QSpinBox:focus {{ border: 1px solid {p.copper}; }}
    QLineEdit[wrong="true"], QComboBox[wrong="true"] {{ border: 1px solid {p.brick}; }}
    QComboBox::drop-down {{ border: none; width: 18px; }}
    QComboBox::down-arrow {{ image: none; }}
    QComboBox QAbstractItemView, QMenu {{
        background: {p.panel}; border: 1px solid {p.line}; selection-background-color: {p.chosen};
        selection-color: {p.ink}; outline: none;
    }}
    QMenu::item {{ padding: 5px 24px 5px 14px; }}
    QMenu::item:selected {{ background: {p.chosen}; }}
    QMenu::item:disabled {{ color: {p.soft}; }}
    QMenu::separator {{ height: 1px; background: {p.line}; margin: 4px 8px; }}
    QPushButton {{
        background: {p.panel}; border: 1px solid {p.line}; border-radius: 5px; padding: 4px 12px;
    }}
    QPushButton:hover, QPushButton:focus {{ border-color: {p.copper}; }}
    QPushButton:disabled {{ color: {p.soft}; border-style: dashed; }}
    QPushButton#act {{
        background: {p.copper}; color: {p.on_copper}; border: 1px solid {p.copper};
        font-weight: 600; font-size: 15px; padding: 6px 18px;
    }}
    QPushButton#act:focus {{ border: 2px solid {p.ink}; }}
    QPushButton#act:disabled {{ background: {p.stone}; color: {p.soft}; border-color: {p.line}; }}
    QPushButton#link {{
        background: transparent; border: none; color: {p.copper_text}; font-weight: 600;
        padding: 2px 4px;
    }}
    QPushButton#link:hover, QPushButton#link:focus {{ text-decoration: underline; }}
    QPushButton#tab {{ border-color: transparent; background: transparent; font-weight: 500; }}
    QPushButton#tab:checked {{ background: {p.chosen}; border-color: {p.line}; font-weight: 600; }}
    QPushButton#tab:focus {{ border-color: {p.copper}; }}
    QToolButton#section {{
        border: none; background: transparent; font-weight: 600; padding: 2px 0;
    }}
    QToolButton#section:focus, QToolButton#section:hover {{ color: {p.copper_text}; }}
    QRadioButton {{ spacing: 6px; }}
    QSlider::groove:horizontal {{ height: 4px; background: {p.stone}; border-radius: 2px; }}
    QSlider::sub-page:horizontal {{ background: {p.water}; border-radius: 2px; }}
    QSlider::handle:horizontal {{
        width: 12px; margin: -5px 0; border-radius: 6px; background: {p.panel};
        border: 2px solid {p.soft};
    }}
    QSlider::handle:horizontal:focus {{ border-color: {p.copper}; }}
    QScrollArea, QScrollArea > QWidget > QWidget#inside {{ background: transparent; border: none; }}
    QAbstractScrollArea::corner {{ background: transparent; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 8px; }}
    QScrollBar:horizontal {{ background: transparent; height: 6px; }}
    QScrollBar::handle {{ background: {p.line}; border-radius: 3px; min-height: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QTableView, QListView {{
        background: {p.panel}; border: none; gridline-color: {p.line};
        selection-background-color: {p.chosen}; selection-color: {p.ink};
        font-family: "{CONDENSED}"; font-size: 13px;
    }}
    QHeaderView::section {{
        background: {p.panel}; color: {p.soft}; border: none; padding: 3px 6px;
        border-bottom: 1px solid {p.line}; font-family: "{CONDENSED}"; font-size: 13px;
    }}
    """
