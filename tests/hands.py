"""What hands do in the real window: drag, type, choose, drop."""

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton, QWidget

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def drag(widget, start, end, *, modifier=NONE, steps=6):
    """Press, move in steps, and let go."""
    QTest.mousePress(widget, LEFT, modifier, start)
    for n in range(1, steps + 1):
        QTest.mouseMove(widget, start + (end - start) * n / steps)
    QTest.mouseRelease(widget, LEFT, modifier, end)


def drop(widget, data, at, *, modifier=NONE):
    """Let something fall on a widget, as the system does at the end of a drag."""
    how = (Qt.DropAction.CopyAction, data, LEFT, modifier)
    enter, fall = QDragEnterEvent(at, *how), QDropEvent(QPointF(at), *how)
    for event in (enter, QDragMoveEvent(at, *how), fall):
        QApplication.sendEvent(widget, event)
    assert enter.isAccepted()
    assert fall.isAccepted()


def type_into(spin, text):
    """Write into a field in place of what is there."""
    spin.setFocus()
    spin.selectAll()
    QTest.keyClicks(spin, text)
    QTest.keyClick(spin, Qt.Key.Key_Return)


def press(widget, text):
    """Click the button inside a widget that says so."""
    found = next(one for one in widget.findChildren(QPushButton) if one.text() == text and one.isVisible())
    QTest.mouseClick(found, LEFT)


def choose(combo, text):
    """Choose one of the options of a field."""
    combo.setFocus()
    combo.setCurrentIndex(combo.findText(text))
    combo.activated.emit(combo.currentIndex())


def field(window, kind, name):
    """Return the widget of a kind that is called so and is on screen."""
    found = [w for w in window.findChildren(kind) if w.accessibleName() == name and w.isVisible()]
    assert len(found) == 1, (
        name,
        [w.accessibleName() for w in window.findChildren(QWidget) if w.isVisible()],
    )
    return found[0]


def middle(widget, share=0.5):
    """Return a point of a widget, half way down."""
    return QPoint(round(widget.width() * share), widget.height() // 2)
