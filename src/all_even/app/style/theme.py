"""The look, designed once: two palettes, four type sizes, one grid, one style sheet.

Contrast pairs are listed here so that the tests can hold them to WCAG AA. One accent says "you can
act here", one says "look here"; there is no third.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from types import SimpleNamespace

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication, QCheckBox, QComboBox, QWidget

ASSETS = Path(__file__).parents[1] / "assets"

SMALL, BODY, TITLE, FIGURE = 11, 13, 16, 22
TARGET = 26
FONT_FAMILY = "Public Sans"


@dataclass(frozen=True, slots=True)
class Palette:
    """Colours by what they mean. family: one per family, in the order of `session.tracks.roles.FAMILIES`."""

    name: str
    ground: str
    panel: str
    raised: str
    line: str
    text: str
    quiet: str
    act: str
    on_act: str
    act_soft: str
    look: str
    look_soft: str
    family: tuple[str, ...]

    def contrast_pairs(self) -> list[tuple[str, str, str]]:
        """(what, foreground, background) of every text on every ground it is set on."""
        pairs = []
        for ground in ("ground", "panel", "raised"):
            for text in ("text", "quiet", "act", "look"):
                pairs.append((f"{text} on {ground}", getattr(self, text), getattr(self, ground)))
        pairs.append(("on_act on act", self.on_act, self.act))
        pairs.append(("text on act_soft", self.text, self.act_soft))
        pairs.append(("text on look_soft", self.text, self.look_soft))
        pairs.append(("look on look_soft", self.look, self.look_soft))
        return pairs


DAY = Palette(
    name="day",
    ground="#ebe9e1",
    panel="#f7f5ef",
    raised="#e2e2d8",
    line="#bcc2b8",
    text="#1d282c",
    quiet="#4d5b60",
    act="#0b5c68",
    on_act="#ffffff",
    act_soft="#cfe3e1",
    look="#953a06",
    look_soft="#f6dfc6",
    family=(
        "#b04a3a", "#a04a7c", "#5d4bb0", "#4c7a2a", "#2c6aa8", "#8a6a00", "#0f7a68", "#6e5a3c", "#55646a", "#6f7a7c",
    ),
)  # fmt: skip

NIGHT = Palette(
    name="night",
    ground="#172024",
    panel="#1f2a2f",
    raised="#2a383e",
    line="#42545b",
    text="#e8ede8",
    quiet="#a8b7b8",
    act="#74ccbd",
    on_act="#0d2220",
    act_soft="#24484a",
    look="#f4ab62",
    look_soft="#4a3824",
    family=(
        "#e58d7f", "#dc93bb", "#ab9ee6", "#97c57a", "#85b7e6", "#dcba5e", "#73c6b2", "#d8c9a4", "#a8b7b8", "#93a2a5",
    ),
)  # fmt: skip

PALETTES = {"day": DAY, "night": NIGHT}
_current = DAY


def current() -> Palette:
    """The palette in use."""
    return _current


def use(name: str) -> Palette:
    """Switches the palette; the window then asks every view to repaint."""
    global _current
    _current = PALETTES[name]
    return _current


def colour(name: str, alpha: float = 1.0) -> QColor:
    """A colour of the palette by its meaning; not to be changed, it is kept."""
    return _colour(_current.name, name, alpha)


@lru_cache(maxsize=512)
def _colour(palette: str, name: str, alpha: float) -> QColor:
    result = QColor(getattr(PALETTES[palette], name))
    result.setAlphaF(alpha)
    return result


def load_fonts() -> None:
    """Makes the shipped face known to Qt."""
    for path in sorted((ASSETS / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


@lru_cache(maxsize=16)
def font(size: int = BODY, *, strong: bool = False) -> QFont:
    """The face in one of the four sizes, in pixels, with tabular digits; not to be changed, it is kept."""
    result = QFont(FONT_FAMILY)
    result.setPixelSize(size)
    result.setWeight(QFont.Weight.DemiBold if strong else QFont.Weight.Normal)
    result.setFeature(QFont.Tag("tnum"), 1)
    return result


ROLES = {
    "ground": ("window", QPalette.ColorRole.Window),
    "panel": ("base", QPalette.ColorRole.Base),
    "raised": ("button", QPalette.ColorRole.Button),
    "line": ("mid", QPalette.ColorRole.Mid),
    "text": ("window-text", QPalette.ColorRole.WindowText),
    "quiet": ("dark", QPalette.ColorRole.Dark),
    "act": ("highlight", QPalette.ColorRole.Highlight),
    "on_act": ("highlighted-text", QPalette.ColorRole.HighlightedText),
    "act_soft": ("midlight", QPalette.ColorRole.Midlight),
    "look": ("bright-text", QPalette.ColorRole.BrightText),
}
"""Our colours as roles of Qt's palette: their name in a style sheet, and the role."""
TEXT_ROLES = (QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText, QPalette.ColorRole.ToolTipText)


def palette() -> QPalette:
    """The present theme as Qt's palette."""
    result = QPalette()
    for name, (_, role) in ROLES.items():
        result.setColor(role, colour(name))
    for role in TEXT_ROLES:
        result.setColor(role, colour("text"))
    return result


def wear(app: QApplication, widgets: Iterable[QWidget]) -> None:
    """Puts the present theme on: the palette, and the style of these widgets worked out from it anew."""
    if app.palette() != palette():
        app.setPalette(palette())
    if not app.styleSheet():
        app.setStyleSheet(style_sheet())
    style = app.style()
    assert style is not None
    for widget in widgets:
        dress(widget)
        style.unpolish(widget)
        style.polish(widget)


def dress(widget: QWidget) -> None:
    """Tells a control with a picture of its own which theme it is of: a style sheet can't tint pictures."""
    if isinstance(widget, QComboBox | QCheckBox):
        widget.setProperty("night", _current.name == "night")


def _icon(name: str) -> str:
    return (ASSETS / "icons" / f"{name}.svg").as_posix()


def style_sheet() -> str:
    """Qt style sheet of every standard control, the same in both themes: colours are roles of the palette.

    So another theme is another palette, not a new sheet, which every widget would have to read again.
    """
    p = SimpleNamespace(**{name: f"palette({role})" for name, (role, _) in ROLES.items()})
    return f"""
    QWidget {{ color: {p.text}; font-family: "{FONT_FAMILY}"; font-size: {BODY}px; }}
    QMainWindow, QDialog, QWidget#ground {{ background: {p.ground}; }}
    QWidget#panel {{ background: {p.panel}; }}
    QFrame#question {{ background: {p.raised}; border: none; border-top: 2px solid {p.look}; }}
    QFrame#card {{ background: {p.panel}; border: 1px solid {p.line}; border-radius: 6px; }}
    QFrame#card[sort="warning"] {{ border-left: 4px solid {p.look}; }}
    QFrame#card[sort="question"] {{ border-left: 4px dotted {p.look}; }}
    QFrame#card[sort="recommended"] {{ border-left: 4px solid {p.act}; }}
    QFrame#card[sort="optional"] {{ border-left: 4px dotted {p.act}; }}
    QToolTip {{ background: {p.raised}; color: {p.text}; border: 1px solid {p.line}; padding: 4px 6px; }}
    QLabel {{ background: transparent; }}
    QLabel[role="quiet"] {{ color: {p.quiet}; }}
    QLabel[role="small"] {{ color: {p.quiet}; font-size: {SMALL}px; }}
    QLabel[role="title"] {{ font-size: {TITLE}px; font-weight: 600; }}
    QLabel[role="figure"] {{ font-size: {FIGURE}px; font-weight: 600; }}
    QLabel[role="look"] {{ color: {p.look}; }}
    QPushButton, QToolButton {{
        background: {p.raised}; border: 1px solid {p.line}; border-radius: 4px; padding: 3px 10px; min-height: 20px;
    }}
    QToolButton {{ padding: 3px; min-width: 20px; }}
    QPushButton:hover, QToolButton:hover {{ border-color: {p.act}; }}
    QPushButton:pressed, QToolButton:pressed {{ background: {p.act_soft}; }}
    QPushButton:checked, QToolButton:checked {{ background: {p.act}; color: {p.on_act}; border-color: {p.act}; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {p.quiet}; background: transparent; border-style: dashed; }}
    QPushButton[role="main"] {{ background: {p.act}; color: {p.on_act}; border-color: {p.act}; font-weight: 600; }}
    QPushButton[role="main"]:disabled {{ background: transparent; color: {p.quiet}; border-color: {p.line}; }}
    QPushButton[extent="large"] {{ min-height: 32px; }}
    QPushButton[role="plain"] {{ background: transparent; border-color: transparent; color: {p.act}; }}
    QPushButton[role="plain"]:hover {{ border-color: {p.act}; }}
    QPushButton:focus, QToolButton:focus, QLineEdit:focus, QComboBox:focus, QListWidget:focus, QTabBar:focus,
    QPlainTextEdit:focus {{ border: 2px solid {p.act}; }}
    QPushButton:focus {{ padding: 2px 9px; }} QToolButton:focus {{ padding: 2px; }}
    QLineEdit, QComboBox, QPlainTextEdit {{
        background: {p.panel}; border: 1px solid {p.line}; border-radius: 4px; padding: 2px 6px; min-height: 20px;
        selection-background-color: {p.act}; selection-color: {p.on_act};
    }}
    QLineEdit:focus, QComboBox:focus {{ padding: 1px 5px; }}
    QComboBox::drop-down {{ border: 0; width: 18px; }}
    QComboBox::down-arrow {{ image: url({_icon("chevron-day")}); width: 12px; }}
    QComboBox[night="true"]::down-arrow {{ image: url({_icon("chevron-night")}); }}
    QComboBox QAbstractItemView {{
        background: {p.panel}; border: 1px solid {p.line}; selection-background-color: {p.act_soft};
        selection-color: {p.text}; outline: 0;
    }}
    QMenu {{ background: {p.panel}; border: 1px solid {p.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 12px; border-radius: 3px; }}
    QMenu::item:selected {{ background: {p.act_soft}; color: {p.text}; }}
    QMenu::item:disabled {{ color: {p.quiet}; }}
    QMenu::separator {{ height: 1px; background: {p.line}; margin: 4px 8px; }}
    QMenuBar {{ background: {p.ground}; }} QMenuBar::item {{ padding: 4px 8px; }}
    QMenuBar::item:selected {{ background: {p.act_soft}; }}
    QListWidget {{ background: {p.panel}; border: 1px solid transparent; outline: 0; }}
    QListWidget::item {{ padding: 5px 8px; border-bottom: 1px solid {p.raised}; }}
    QListWidget::item:selected {{ background: {p.act_soft}; color: {p.text}; }}
    QTableWidget {{ background: {p.panel}; border: 1px solid {p.line}; border-radius: 4px; outline: 0; }}
    QTableWidget::item {{ padding: 3px 8px; border-bottom: 1px solid {p.raised}; }}
    QTableWidget::item:selected {{ background: {p.act_soft}; color: {p.text}; }}
    QHeaderView, QHeaderView::section {{
        background: {p.raised}; color: {p.quiet}; border: 0; padding: 3px 8px; font-size: {SMALL}px; font-weight: 400;
    }}
    QTabWidget::pane {{ border: 0; }} QTabBar {{ background: transparent; }}
    QTabBar::tab {{
        padding: 5px 8px; border: 0; border-bottom: 2px solid transparent; color: {p.quiet}; min-height: 18px;
        min-width: 34px;
    }}
    QTabBar::tab:selected {{ color: {p.text}; border-bottom-color: {p.act}; font-weight: 600; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: 0; }}
    QScrollBar:vertical {{ width: 10px; background: transparent; }}
    QScrollBar:horizontal {{ height: 10px; background: transparent; }}
    QScrollBar::handle {{ background: {p.line}; border-radius: 4px; min-height: 28px; min-width: 28px; margin: 1px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
        background: transparent; height: 0; width: 0;
    }}
    QProgressBar {{ background: {p.raised}; border: 0; border-radius: 3px; max-height: 6px; min-height: 6px; }}
    QProgressBar::chunk {{ background: {p.act}; border-radius: 3px; }}
    QCheckBox {{ spacing: 8px; min-height: 24px; }}
    QCheckBox::indicator {{ width: 16px; height: 16px; border: 1px solid {p.line}; border-radius: 3px;
        background: {p.panel}; }}
    QCheckBox::indicator:checked {{ background: {p.act}; border-color: {p.act}; image: url({_icon("tick-day")}); }}
    QCheckBox[night="true"]::indicator:checked {{ image: url({_icon("tick-night")}); }}
    QCheckBox:disabled {{ color: {p.quiet}; }}
    QCheckBox::indicator:disabled {{ background: transparent; border-style: dashed; image: none; }}
    QCheckBox:focus {{ color: {p.act}; }}
    QSplitter::handle {{ background: {p.ground}; }}
    """
