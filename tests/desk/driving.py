"""What a person does with mouse and keys."""

from collections import Counter

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QApplication, QCheckBox, QComboBox

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


def filled_form(qtbot, fields):
    """In place of a form's `exec`: fills fields by their names and presses OK, or Cancel where the form refuses."""

    def exec_(dialog):
        for name, value in fields.items():
            field = dialog.fields[name]
            if isinstance(field, QComboBox):
                choose(field, value)
            elif isinstance(field, QCheckBox):
                field.setChecked(value)
            else:
                type_into(qtbot, field, value)
        dialog.take()
        return dialog.result_model is not None

    return exec_


def painted(widget):
    """Share of a widget's picture that is not its commonest colour: next to nothing for one that draws nothing."""
    image = widget.grab().toImage().scaledToWidth(200)
    points = [image.pixel(x, y) for x in range(0, image.width(), 2) for y in range(0, image.height(), 2)]
    return 1.0 - max(Counter(points).values()) / len(points)


def choose_new(qtbot, field, *, mouse=False):
    """Takes "New…", the last of a list: by its keys, or by a click on it."""
    if mouse:
        qtbot.mouseClick(field, LEFT)
        # The click that opened a list is not to choose in it: another is heard after a double click's time.
        qtbot.wait(QApplication.doubleClickInterval() + 50)
        view = field.view()
        last = field.model().index(field.count() - 1, 0)
        view.scrollTo(last)
        qtbot.mouseClick(view.viewport(), LEFT, pos=view.visualRect(last).center())
        return
    qtbot.keyClick(field, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    qtbot.keyClick(field.view(), Qt.Key.Key_End)
    qtbot.keyClick(field.view(), Qt.Key.Key_Return)
