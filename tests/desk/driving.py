"""What a person does with mouse and keys."""

from collections import Counter

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence

LEFT = Qt.MouseButton.LeftButton


def type_into(qtbot, field, text):
    field.setFocus()
    field.selectAll()
    qtbot.keyClick(field, Qt.Key.Key_Delete)
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def press(qtbot, window, keys):
    """Presses keys as a menu names them: "F5", "Ctrl+Shift+E"."""
    pressed = QKeySequence(keys)[0]
    qtbot.keyClick(window, pressed.key(), pressed.keyboardModifiers())


def choose(field, value):
    """Takes a value from a list."""
    field.setCurrentIndex(field.findData(value))
    assert field.currentData() == value
    field.activated.emit(field.currentIndex())


def painted(widget):
    """Share of a widget's picture that is not its commonest colour: next to nothing for one that draws nothing."""
    image = widget.grab().toImage().scaledToWidth(200)
    points = [image.pixel(x, y) for x in range(0, image.width(), 2) for y in range(0, image.height(), 2)]
    return 1.0 - max(Counter(points).values()) / len(points)
