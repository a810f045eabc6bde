"""Small buttons of which one is down: what of a bench is shown."""

from collections.abc import Callable
from functools import cached_property
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget


class Tabs(QWidget):
    """One button for each (key, words); emits `chosen` with the key of the one that was pressed."""

    chosen = Signal(str)

    def __init__(self, entries, parent=None):
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(5)
        self.buttons: dict[str, QPushButton] = {}
        for key, words in entries:
            button = QPushButton(words)
            button.setObjectName("small")
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.clicked.connect(lambda _=False, key=key: self.chosen.emit(key))
            row.addWidget(button)
            self.buttons[key] = button
        row.addStretch(1)
        next(iter(self.buttons.values())).setChecked(True)

    @property
    def key(self) -> str:
        """Key of the button that is down."""
        return next(key for key, button in self.buttons.items() if button.isChecked())

    def choose(self, key: str) -> None:
        """Presses a button."""
        self.buttons[key].setChecked(True)
        self.chosen.emit(key)


def tabbed(tabs: Tabs, *parts: QWidget | Callable[[], QWidget]) -> QVBoxLayout:
    """Buttons above the one of the parts that they choose, in the order of the buttons.

    A part that takes its time may be what makes it, and is made when it is first chosen.
    """
    stack = QStackedWidget()
    waiting = {}
    for number, part in enumerate(parts):
        if not isinstance(part, QWidget):
            waiting[number], part = part, QWidget()
        stack.addWidget(part)
    keys = list(tabs.buttons)

    def choose(key):
        number = keys.index(key)
        if number in waiting:
            empty = stack.widget(number)
            stack.insertWidget(number, waiting.pop(number)())
            stack.removeWidget(empty)
            empty.deleteLater()
        stack.setCurrentIndex(number)

    choose(tabs.key)
    tabs.chosen.connect(choose)
    column = QVBoxLayout()
    column.setSpacing(2)
    column.addWidget(tabs)
    column.addWidget(stack, 1)
    return column


def late(kind: Callable[[], QWidget]) -> Any:
    """An attribute of a class whose widget is made when it is first asked for."""
    return cached_property(lambda _: kind())


def page(*parts, across: bool = False) -> QWidget:
    """Parts below each other, or beside, each as (widget, its share of the room)."""
    made = QWidget()
    direction = QBoxLayout.Direction.LeftToRight if across else QBoxLayout.Direction.TopToBottom
    converter = QBoxLayout(direction, made)
    converter.setContentsMargins(0, 0, 0, 0)
    converter.setSpacing(10 if across else 4)
    for part, share in parts:
        converter.addWidget(part, share)
    return made
