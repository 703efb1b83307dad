"""Paper and ink: palettes, the shipped typeface, and the style sheet, in one size or a larger one."""

from __future__ import annotations

from dataclasses import dataclass, replace
from importlib import resources
from pathlib import Path
from weakref import WeakKeyDictionary

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PySide6.QtWidgets import QApplication, QWidget
from shiboken6 import isValid

FAMILY = "Inter"
BASE_PX = 14
SCALES = (0.9, 1.0, 1.15, 1.3, 1.5, 1.75, 2.0)


@dataclass(frozen=True)
class Inks:
    """Colors of one theme. heat, moisture and eggs mean the same everywhere; words and shapes carry the meaning."""

    paper: str
    column: str
    card: str
    ink: str
    muted: str
    rule: str
    heat: str
    moisture: str
    eggs: str
    selection: str
    good: str
    bad: str
    doubt: str
    tint: int

    def of(self, quantity: str) -> QColor:
        """Color of a quantity."""
        return QColor(self.heat if quantity == "temperature" else self.moisture)


LIGHT = Inks(
    paper="#F5F1E8",
    column="#EEE8DA",
    card="#FCFAF4",
    ink="#22292B",
    muted="#5C625E",
    rule="#D8D1C1",
    heat="#A9452A",
    moisture="#1C6A72",
    eggs="#7F5E14",
    selection="#2C4460",
    good="#2F6B45",
    bad="#A33320",
    doubt="#80590F",
    tint=26,
)
DARK = Inks(
    paper="#1D2122",
    column="#171B1C",
    card="#272C2D",
    ink="#ECE7DB",
    muted="#A9AEA7",
    rule="#434A4A",
    heat="#E58A6C",
    moisture="#6FBEC6",
    eggs="#D9B25E",
    selection="#8FB3DA",
    good="#8CC79E",
    bad="#F0917C",
    doubt="#E0B566",
    tint=40,
)


STRONG_LIGHT = replace(
    LIGHT,
    paper="#FFFFFF",
    column="#F2F2F2",
    card="#FFFFFF",
    ink="#000000",
    muted="#2B2F2D",
    rule="#6A6A66",
    heat="#8A2D15",
    moisture="#0B4A51",
    eggs="#5B4208",
    selection="#12305A",
    good="#164A2A",
    bad="#7E1E0F",
    doubt="#5E3F00",
)
STRONG_DARK = replace(
    DARK,
    paper="#000000",
    column="#000000",
    card="#0C0F10",
    ink="#FFFFFF",
    muted="#DCDFDA",
    rule="#9AA19F",
    heat="#FFB59C",
    moisture="#A5E6EC",
    eggs="#F3D48A",
    selection="#BBD6F5",
    good="#B4E8C3",
    bad="#FFB7A8",
    doubt="#F5D08A",
)
"""Where the desktop asks for more contrast."""


DIM = Inks(
    paper="#000000",
    column="#000000",
    card="#0A0605",
    ink="#C8502E",
    muted="#7A3420",
    rule="#3A1810",
    heat="#C8502E",
    moisture="#C8502E",
    eggs="#C8502E",
    selection="#F08050",
    good="#C8502E",
    bad="#F08050",
    doubt="#C8502E",
    tint=60,
)
"""Inks for the dark: a deep red leaves the eye used to it. Source: common practice."""


_LENGTHS = "lengths"


class Theme(QObject):
    """The theme in use. changed is emitted when colors or size change; views repaint and the style sheet follows."""

    changed = Signal()

    def __init__(self, app: QApplication, choice: str = "system", scale: float = 1.0) -> None:
        super().__init__(app)
        self._app = app
        self.choice = choice
        self.scale = scale
        self.dim = False
        self.contrast = False
        self._fitted = scale
        self._sheet = ""
        self._worn: WeakKeyDictionary[QWidget, str] = WeakKeyDictionary()
        load_fonts()
        hints = QGuiApplication.styleHints()
        hints.colorSchemeChanged.connect(self._follow_system)
        if hasattr(hints, "accessibility"):
            # newer than the oldest Qt that will do
            hints.accessibility().contrastPreferenceChanged.connect(self._apply)
        # nothing of ours moves by itself; nor do menus and lists
        for effect in (Qt.UIEffect.UI_AnimateMenu, Qt.UIEffect.UI_AnimateCombo, Qt.UIEffect.UI_FadeMenu):
            app.setEffectEnabled(effect, False)
        self._apply()

    @property
    def dark(self) -> bool:
        """Whether the dark inks are in use."""
        if self.choice in ("light", "dark"):
            return self.choice == "dark"
        return QGuiApplication.styleHints().colorScheme() == Qt.ColorScheme.Dark

    @property
    def inks(self) -> Inks:
        """Colors in use."""
        if self.dim:
            return DIM
        if self.strong:
            return STRONG_DARK if self.dark else STRONG_LIGHT
        return DARK if self.dark else LIGHT

    @property
    def strong(self) -> bool:
        """Whether more contrast is asked for, by the desktop or by the keeper."""
        hints = getattr(QGuiApplication.styleHints(), "accessibility", None)
        wanted = hints is not None and hints().contrastPreference() == Qt.ContrastPreference.HighContrast
        return self.contrast or wanted

    def px(self, size: float) -> int:
        """A length of the 4 px grid at the text size in use."""
        return round(size * self.scale)

    def fit(self, widget: QWidget, **lengths: float) -> None:
        """Set lengths of a widget (FixedWidth, MinimumHeight and the like), px at normal size; they follow the text."""
        widget.setProperty(_LENGTHS, {**(widget.property(_LENGTHS) or {}), **lengths})
        for name, size in lengths.items():
            getattr(widget, f"set{name}")(self.px(size))

    def dress(self, part: QWidget) -> None:
        """Let a part of the window wear the style sheet; a hidden one puts a new one on when it is shown.

        All pages at once would hold up the window for seconds.
        """
        self._worn[part] = self._sheet
        part.setStyleSheet(self._sheet)
        part.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """A part comes into view: it wears what is worn by then."""
        if event.type() == QEvent.Type.Show and isinstance(watched, QWidget) and watched in self._worn:
            self._put_on(watched)
        return False

    def _put_on(self, part: QWidget) -> None:
        if self._worn[part] is not self._sheet:
            self._worn[part] = self._sheet
            part.setStyleSheet(self._sheet)

    def font(self, px: float = BASE_PX, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
        """The typeface with tabular figures."""
        font = QFont(FAMILY)
        font.setPixelSize(self.px(px))
        font.setWeight(weight)
        font.setFeature(QFont.Tag("tnum"), 1)
        return font

    def choose(self, choice: str) -> None:
        """Use "system", "light" or "dark"."""
        self.choice = choice
        self._apply()

    def switch_contrast(self) -> None:
        """More contrast, or the ordinary inks again."""
        self.contrast = not self.contrast
        self._apply()

    def enlarge(self, steps: int) -> None:
        """Larger (1) or smaller (-1) text."""
        nearest = min(range(len(SCALES)), key=lambda i: abs(SCALES[i] - self.scale))
        self.scale = SCALES[max(0, min(len(SCALES) - 1, nearest + steps))]
        self._apply()

    def darken(self, dim: bool) -> None:
        """The inks for candling in the dark, or the ordinary ones again."""
        self.dim = dim
        self._apply()

    def _follow_system(self) -> None:
        if self.choice == "system":
            self._apply()

    def _apply(self) -> None:
        inks = self.inks
        palette = QPalette()
        for role, color in (
            (QPalette.ColorRole.Window, inks.paper),
            (QPalette.ColorRole.Base, inks.card),
            (QPalette.ColorRole.AlternateBase, inks.column),
            (QPalette.ColorRole.WindowText, inks.ink),
            (QPalette.ColorRole.Text, inks.ink),
            (QPalette.ColorRole.Button, inks.card),
            (QPalette.ColorRole.ButtonText, inks.ink),
            (QPalette.ColorRole.Highlight, inks.selection),
            (QPalette.ColorRole.HighlightedText, inks.paper),
            (QPalette.ColorRole.PlaceholderText, inks.muted),
            (QPalette.ColorRole.ToolTipBase, inks.card),
            (QPalette.ColorRole.ToolTipText, inks.ink),
        ):
            palette.setColor(role, QColor(color))
        self._app.setPalette(palette)
        self._app.setFont(self.font())
        self._sheet = _style_sheet(self)
        for part in list(self._worn):
            if isValid(part) and part.isVisible():
                self._put_on(part)
        if self.scale != self._fitted:
            self._fitted = self.scale
            for widget in self._app.allWidgets():
                if lengths := widget.property(_LENGTHS):
                    self.fit(widget, **lengths)
        self.changed.emit()


def load_fonts() -> None:
    """The shipped typeface, for the application that runs. Raises RuntimeError where it cannot be loaded."""
    folder = resources.files("stathmis") / "data" / "fonts"
    for name in ("Inter-Regular.otf", "Inter-Medium.otf", "Inter-SemiBold.otf"):
        if QFontDatabase.addApplicationFontFromData((folder / name).read_bytes()) < 0:
            raise RuntimeError(f"the shipped font {name} cannot be loaded")


def _style_sheet(theme: Theme) -> str:
    icons = Path(__file__).parent.parent / "data" / "icons"
    kind = "dark" if theme.dark else "light"
    arrow, tick = ((icons / f"{name}-{kind}.svg").as_posix() for name in ("down", "tick"))
    return _texts(theme) + _fields(theme, arrow) + _buttons(theme) + _marks(theme, tick)


def _texts(theme: Theme) -> str:
    """Ground and words."""
    i, px = theme.inks, theme.px
    return f"""
    QMainWindow, QScrollArea, QWidget#page, QStackedWidget {{ background: {i.paper}; border: none; }}
    QWidget#column {{ background: {i.column}; border-right: 1px solid {i.rule}; }}
    QLabel {{ background: transparent; }}
    QLabel[role="title"] {{ font-size: {px(22)}px; font-weight: 600; }}
    QLabel[role="heading"] {{ font-size: {px(16)}px; font-weight: 600; }}
    QLabel[role="name"] {{ font-weight: 600; }}
    QLabel[role="muted"] {{ color: {i.muted}; }}
    QLabel[role="small"] {{ color: {i.muted}; font-size: {px(12)}px; }}
    QLabel[role="big"] {{ font-size: {px(22)}px; font-weight: 600; }}
    QLabel[role="value"] {{ font-size: {px(18)}px; font-weight: 600; }}
    QLabel[role="problem"] {{ color: {i.bad}; font-size: {px(12)}px; }}
    QLabel[ink="heat"] {{ color: {i.heat}; }}
    QLabel[ink="moisture"] {{ color: {i.moisture}; }}
    QLabel[ink="eggs"] {{ color: {i.eggs}; }}
    QLabel[ink="inside"] {{ color: {i.good}; font-weight: 600; }}
    QLabel[ink="outside"] {{ color: {i.bad}; font-weight: 600; }}
    QLabel[ink="undecided"] {{ color: {i.doubt}; font-weight: 600; }}
    QLabel[ink="error"] {{ color: {i.bad}; font-weight: 500; }}
    QLabel[ink="warning"] {{ color: {i.doubt}; font-weight: 500; }}
    """


def _fields(theme: Theme, arrow: str) -> str:
    """Fields, lists and tables."""
    i, px = theme.inks, theme.px
    return f"""
    QLineEdit, QComboBox {{
        background: {i.card}; border: 1px solid {i.muted}; border-radius: 4px;
        padding: {px(4)}px {px(8)}px; min-height: {px(20)}px;
        selection-background-color: {i.selection}; selection-color: {i.paper}; }}
    QLineEdit[role="reading"] {{ font-size: {px(16)}px; font-weight: 500; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {i.bad}; padding: {px(4) - 1}px {px(8) - 1}px; }}
    QLineEdit:focus, QComboBox:focus {{ border: 2px solid {i.selection}; padding: {px(4) - 1}px {px(8) - 1}px; }}
    QLineEdit:read-only, QLineEdit:disabled {{ background: {i.paper}; color: {i.muted}; border-color: {i.rule}; }}
    QComboBox::drop-down {{ border: none; width: {px(22)}px; }}
    QComboBox::down-arrow {{ image: url("{arrow}"); width: {px(12)}px; height: {px(12)}px; }}
    QListWidget {{ background: {i.card}; border: 1px solid {i.muted}; border-radius: 4px; padding: 4px; }}
    QListWidget::item {{ padding: 4px 6px; }}
    QListWidget::item:selected {{ background: {i.selection}; color: {i.card}; }}
    QTableView {{ background: transparent; border: none; outline: none; selection-background-color: {i.card};
        selection-color: {i.ink}; alternate-background-color: {i.column}; }}
    QTableView::item {{ padding: 4px 8px; border-bottom: 1px solid {i.rule}; }}
    QTableView::item:selected {{ background: {i.card}; color: {i.ink}; font-weight: 600; }}
    QComboBox QAbstractItemView {{ background: {i.card}; border: 1px solid {i.muted};
        selection-background-color: {i.selection}; selection-color: {i.paper}; outline: none; }}
    """


def _buttons(theme: Theme) -> str:
    """Buttons, links, tabs and places."""
    i, px = theme.inks, theme.px
    return f"""
    QPushButton {{ background: {i.card}; border: 1px solid {i.muted}; border-radius: 4px;
        padding: {px(5)}px {px(12)}px; font-weight: 500; }}
    QPushButton:hover {{ border-color: {i.ink}; }}
    QPushButton:focus {{ border: 2px solid {i.selection}; padding: {px(5) - 1}px {px(12) - 1}px; }}
    QPushButton:disabled {{ color: {i.muted}; border-color: {i.rule}; }}
    QPushButton[role="main"] {{ background: {i.selection}; color: {i.paper}; border-color: {i.selection}; }}
    QPushButton[role="main"]:focus {{ border: 2px solid {i.ink}; }}
    QPushButton[role="main"]:disabled {{ background: {i.column}; color: {i.muted}; border-color: {i.rule}; }}
    QPushButton[role="link"] {{ background: transparent; border: 1px solid transparent; color: {i.selection};
        padding: 0 {px(4)}px; min-height: 26px; text-align: left; text-decoration: underline; }}
    QPushButton[role="name"] {{ background: transparent; border: 1px solid transparent; padding: 0;
        min-height: 26px; font-weight: 600; text-align: left; }}
    QPushButton[role="name"]:hover {{ text-decoration: underline; }}
    QPushButton[role="name"]:focus {{ border: 1px solid {i.selection}; padding: 0; }}
    QPushButton[role="link"]:focus {{ border: 1px solid {i.selection}; }}
    QPushButton[role="tab"] {{ background: transparent; border: none; border-bottom: 3px solid transparent;
        border-radius: 0; padding: {px(6)}px 3px; font-size: {px(16)}px; color: {i.muted}; }}
    QPushButton[role="tab"]:checked {{ color: {i.ink}; border-bottom-color: {i.ink}; font-weight: 600; }}
    QPushButton[role="tab"]:focus {{ color: {i.selection}; border-bottom-color: {i.selection}; }}
    QPushButton[role="tab"]:focus {{ border: 1px solid {i.selection}; border-bottom-width: 3px;
        border-bottom-style: solid; padding: {px(6) - 1}px 2px {px(6)}px 2px; }}
    QPushButton[role="tab"]:focus:!checked {{ border-bottom: 1px solid {i.selection}; }}
    QPushButton[role="place"] {{ background: transparent; border: none; border-left: 4px solid transparent;
        border-radius: 0; text-align: left; padding: {px(7)}px 4px {px(7)}px {px(16)}px; }}
    QPushButton[role="place"]:checked {{ background: {i.card}; border-left-color: {i.selection}; }}
    QPushButton[role="place"]:focus {{ border-left-color: {i.ink}; text-decoration: underline; }}
    """


def _marks(theme: Theme, tick: str) -> str:
    """Cards, boxes to tick, bars and what hangs over them."""
    i, px = theme.inks, theme.px
    return f"""
    QFrame#card {{ background: {i.card}; border: 1px solid {i.rule}; border-radius: 6px; }}
    QFrame#rule {{ background: {i.rule}; border: none; max-height: 1px; min-height: 1px; }}
    QCheckBox, QRadioButton {{ spacing: {px(8)}px; background: transparent; padding: 1px; min-height: 24px;
        border: 1px solid transparent; border-radius: 4px; }}
    QCheckBox:focus, QRadioButton:focus {{ border-color: {i.selection}; }}
    QTableView:focus, QListWidget:focus, QTextBrowser:focus {{ border: 2px solid {i.selection}; }}
    QCheckBox::indicator, QRadioButton::indicator {{ width: {px(12)}px; height: {px(12)}px; background: {i.card};
        border: 1px solid {i.muted}; border-radius: 3px; }}
    QRadioButton::indicator {{ border-radius: {px(12) // 2 + 1}px; }}
    QCheckBox::indicator:checked {{ background: {i.selection}; border-color: {i.selection}; image: url("{tick}"); }}
    QRadioButton::indicator:checked {{ border-color: {i.selection}; background: qradialgradient(cx: 0.5, cy: 0.5,
        radius: 0.5, fx: 0.5, fy: 0.5, stop: 0 {i.selection}, stop: 0.55 {i.selection}, stop: 0.65 {i.card}); }}
    QMenuBar {{ background: {i.column}; color: {i.ink}; border: none; padding: 0 12px; font-size: {px(13)}px; }}
    QMenuBar::item {{ padding: {px(4)}px 8px; background: transparent; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {i.selection}; color: {i.paper}; }}
    QMenu {{ background: {i.card}; color: {i.ink}; border: 1px solid {i.muted}; padding: 4px 0; }}
    QMenu::item {{ padding: {px(6)}px {px(20)}px {px(6)}px {px(24)}px; }}
    QMenu::indicator {{ width: {px(12)}px; height: {px(12)}px; margin-left: {px(6)}px; background: {i.card};
        border: 1px solid {i.muted}; border-radius: 3px; }}
    QMenu::indicator:checked {{ background: {i.selection}; border-color: {i.selection}; image: url("{tick}"); }}
    QMenu::item:disabled {{ color: {i.muted}; }}
    QMenu::separator {{ height: 1px; background: {i.rule}; margin: 4px 0; }}
    QListWidget, QTextBrowser {{ background: {i.card}; color: {i.ink}; border: 1px solid {i.rule};
        border-radius: 6px; padding: 4px; }}
    QListWidget::item {{ padding: {px(4)}px; border-radius: 4px; }}
    QListWidget::item:selected {{ background: {i.selection}; color: {i.paper}; }}
    QToolTip {{ background: {i.card}; color: {i.ink}; border: 1px solid {i.muted}; padding: 4px; }}
    QTableWidget {{ background: {i.card}; border: 1px solid {i.rule}; gridline-color: {i.rule}; }}
    QHeaderView::section {{ background: {i.column}; color: {i.muted}; border: none; padding: {px(4)}px 11px;
        border-bottom: 1px solid {i.rule}; font-size: {px(12)}px; }}
    QProgressBar {{ background: {i.column}; border: 1px solid {i.rule}; border-radius: 4px; text-align: center;
        min-height: {px(18)}px; }}
    QProgressBar::chunk {{ background: {i.moisture}; border-radius: 3px; }}
    QScrollBar:vertical {{ background: transparent; width: 12px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {i.rule}; border-radius: 5px; min-height: 28px; margin: 1px; }}
    QScrollBar:horizontal {{ background: transparent; height: 12px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {i.rule}; border-radius: 5px; min-width: 28px; margin: 1px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    """
