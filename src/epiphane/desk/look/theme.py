"""Colours, fonts, icons and the style sheet of the window."""

import html
from functools import lru_cache

from PyQt6.QtCore import QByteArray, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QAbstractButton, QApplication

from epiphane.assets import FONTS, ICONS
from epiphane.effects.declare import Family

GROUND = QColor("#16131A")
PANEL = QColor("#201C26")
RAISED = QColor("#2A2531")
RULE = QColor("#3B3545")
TEXT = QColor("#ECE4D4")
QUIET = QColor("#A79FB0")
DISABLED = QColor("#827B8C")
PICTURE_GROUND = QColor("#1B1B1B")
STRIP = QColor("#1D1923")

WAVE = (QColor("#4A4258"), QColor("#8A8196"), QColor("#DDD3C2"))
"""Low, middle and high part of the song: no hue, which is kept for effects."""

FAMILY_COLOURS = {
    Family.LIGHT: QColor("#F0B64A"),
    Family.MOTION: QColor("#58C4A2"),
    Family.GLITCH: QColor("#EE6D5C"),
    Family.FOCUS: QColor("#9C8FF0"),
    Family.COLOUR: QColor("#9CC653"),
    Family.FRAME: QColor("#D49A6A"),
}
UNKNOWN_COLOUR = QUIET
CHANNEL_COLOURS = (QColor("#6C8CE0"), QColor("#6DBB6A"), QColor("#DB6A63"))
"""Of blue, green and red, where the channels of a picture are drawn."""

_ICON_GAP = 5

WORDS, NUMBERS = "Instrument Sans", "IBM Plex Mono"


def words(size: float = 10, *, weight: int = 400) -> QFont:
    """Return the font for words, in points at 96 dots an inch."""
    font = QFont(WORDS)
    font.setPixelSize(round(size * 4 / 3))
    font.setWeight(QFont.Weight(weight))
    return font


def numbers(size: float = 10, *, weight: int = 400) -> QFont:
    """Return the font for numbers, whose digits are all as wide."""
    font = QFont(NUMBERS)
    font.setPixelSize(round(size * 4 / 3))
    font.setWeight(QFont.Weight(weight))
    return font


@lru_cache(maxsize=128)
def icon_pixmap(name: str, colour: str, size: int, ratio: float = 2.0) -> QPixmap:
    """Return a shipped icon in a colour, `size` pixels wide."""
    svg = (ICONS / f"{name}.svg").read_text(encoding="utf-8").replace("currentColor", colour)
    pixmap = QPixmap(QSize(round(size * ratio), round(size * ratio)))
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    QSvgRenderer(QByteArray(svg.encode())).render(painter, QRectF(pixmap.rect()))
    painter.end()
    pixmap.setDevicePixelRatio(ratio)
    return pixmap


def icon(name: str, colour: QColor = TEXT, size: int = 18) -> QIcon:
    """Return a shipped icon for a button, quieter where it is disabled."""
    made = QIcon(icon_pixmap(name, colour.name(), size))
    made.addPixmap(icon_pixmap(name, DISABLED.name(), size), QIcon.Mode.Disabled)
    return made


def put_icon(button: QAbstractButton, name: str, colour: QColor = TEXT, size: int = 16) -> None:
    """Put an icon before a button's text, with room between the two."""
    room = QPixmap(QSize((size + _ICON_GAP) * 2, size * 2))
    room.setDevicePixelRatio(2)
    room.fill(Qt.GlobalColor.transparent)
    painter = QPainter(room)
    painter.drawPixmap(0, 0, icon_pixmap(name, colour.name(), size))
    painter.end()
    button.setIcon(QIcon(room))
    button.setIconSize(QSize(size + _ICON_GAP, size))


def plain(text: str) -> str:
    """Return a text for a tooltip that shows it as it is: Qt takes what looks like markup for it.

    A name in a file of a stranger could have a picture loaded from anywhere otherwise.
    """
    if not Qt.mightBeRichText(text):  # type: ignore[attr-defined]  # the stubs do not know it
        return text
    return f"<span>{html.escape(text)}</span>".replace("\n", "<br>")


def dress(app: QApplication) -> None:
    """Give the application its fonts, palette and style sheet."""
    for file in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(file))
    app.setStyle("Fusion")
    app.setFont(words(10))
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, GROUND),
        (QPalette.ColorRole.Base, PANEL),
        (QPalette.ColorRole.Button, RAISED),
        (QPalette.ColorRole.WindowText, TEXT),
        (QPalette.ColorRole.Text, TEXT),
        (QPalette.ColorRole.ButtonText, TEXT),
        (QPalette.ColorRole.ToolTipBase, RAISED),
        (QPalette.ColorRole.ToolTipText, TEXT),
        (QPalette.ColorRole.PlaceholderText, QUIET),
        (QPalette.ColorRole.Highlight, TEXT),
        (QPalette.ColorRole.HighlightedText, GROUND),
    ):
        palette.setColor(role, colour)
    app.setPalette(palette)
    app.setStyleSheet(_STYLE)


_STYLE = f"""
* {{ outline: none; }}
QToolTip {{ background: {RAISED.name()}; color: {TEXT.name()}; border: 1px solid {RULE.name()};
    padding: 5px 8px; }}
QLabel[quiet="true"] {{ color: {QUIET.name()}; }}
QFrame[panel="true"] {{ background: {PANEL.name()}; }}
QFrame[rule="true"] {{ background: {RULE.name()}; border: none; }}
QPushButton, QToolButton {{ background: {RAISED.name()}; color: {TEXT.name()}; border: 1px solid transparent;
    border-radius: 6px; padding: 6px 12px; }}
QFileDialog QToolButton {{ padding: 4px; }}
QHeaderView::section {{ background: {RAISED.name()}; color: {QUIET.name()}; border: none; padding: 4px 8px; }}
QPushButton:hover, QToolButton:hover {{ background: {RULE.name()}; }}
QPushButton:pressed, QToolButton:pressed {{ background: {GROUND.name()}; }}
QPushButton:focus, QToolButton:focus {{ border-color: {QUIET.name()}; }}
QPushButton:disabled, QToolButton:disabled {{ color: {DISABLED.name()}; }}
QPushButton:checked, QToolButton:checked {{ background: {RULE.name()}; color: {TEXT.name()}; }}
QToolButton[tile="true"] {{ border-width: 2px; border-radius: 5px; padding: 1px; background: transparent;
    color: {QUIET.name()}; }}
QToolButton[tile="true"]:checked {{ border-color: {TEXT.name()}; color: {TEXT.name()}; }}
QToolButton[tile="true"]:focus {{ color: {TEXT.name()}; }}
QPushButton[main="true"] {{ background: {TEXT.name()}; color: {GROUND.name()}; font-weight: 600; }}
QPushButton[main="true"]:hover {{ background: #ffffff; }}
QPushButton[main="true"]:disabled {{ background: {RULE.name()}; color: {QUIET.name()}; }}
QPushButton[quiet="true"], QToolButton[quiet="true"] {{ background: transparent; color: {QUIET.name()}; }}
QPushButton[quiet="true"]:hover, QToolButton[quiet="true"]:hover {{ background: {RAISED.name()};
    color: {TEXT.name()}; }}
QPushButton[quiet="true"]:checked {{ background: {RAISED.name()}; color: {TEXT.name()}; }}
QLineEdit, QPlainTextEdit, QSpinBox, QDoubleSpinBox, QComboBox {{
    background: {RAISED.name()}; color: {TEXT.name()};
    border: 1px solid transparent; border-radius: 5px; padding: 3px 8px; min-height: 20px;
    selection-background-color: {TEXT.name()}; selection-color: {GROUND.name()}; }}
QPlainTextEdit {{ min-height: 54px; max-height: 54px; }}
QSpinBox, QDoubleSpinBox {{ padding-left: 5px; padding-right: 5px; }}
QLineEdit:focus, QPlainTextEdit:focus, QSpinBox:focus, QDoubleSpinBox:focus, QComboBox:focus {{
    border-color: {QUIET.name()}; }}
QComboBox::drop-down {{ border: none; width: 18px; }}
QComboBox::down-arrow {{ image: url({(ICONS / "chevron-down-quiet.svg").as_posix()}); width: 12px;
    height: 12px; }}
QComboBox QAbstractItemView {{ background: {RAISED.name()}; border: 1px solid {RULE.name()};
    selection-background-color: {RULE.name()}; selection-color: {TEXT.name()}; padding: 4px; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
QScrollBar::handle {{ background: {RULE.name()}; border-radius: 3px; margin: 2px; min-height: 32px;
    min-width: 32px; }}
QScrollBar::handle:hover {{ background: {QUIET.name()}; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
    background: none; border: none; width: 0; height: 0; }}
QProgressBar {{ background: {RAISED.name()}; border: none; border-radius: 3px; max-height: 6px; }}
QProgressBar::chunk {{ background: {TEXT.name()}; border-radius: 3px; }}
QSplitter::handle {{ background: {RULE.name()}; }}
QListView {{ background: {PANEL.name()}; border: none; }}
QListView#groups::item {{ color: {QUIET.name()}; padding: 2px 8px; border-radius: 5px; }}
QListView#groups::item:selected {{ background: {RAISED.name()}; color: {TEXT.name()}; }}
QListView#groups::item:hover {{ color: {TEXT.name()}; }}
QCheckBox {{ spacing: 8px; }}
QMenu {{ background: {RAISED.name()}; border: 1px solid {RULE.name()}; padding: 4px; }}
QMenu::item {{ padding: 6px 18px; border-radius: 4px; }}
QMenu::item:selected {{ background: {RULE.name()}; }}
"""


def paint_badge(painter: QPainter, box: QRectF, text: str) -> None:
    """Write a text on a picture: on a ground of its own that lets some of the picture through."""
    ground = QColor(GROUND)
    ground.setAlpha(190)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ground)
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(TEXT)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
