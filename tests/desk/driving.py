"""What a person does with mouse and keys."""

from PySide6.QtCore import Qt

LEFT = Qt.MouseButton.LeftButton


def type_into(qtbot, field, text):
    field.setFocus()
    field.selectAll()
    qtbot.keyClick(field, Qt.Key.Key_Delete)
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def choose(field, value):
    """Takes a value from a list."""
    field.setCurrentIndex(field.findData(value))
    assert field.currentData() == value
    field.activated.emit(field.currentIndex())
