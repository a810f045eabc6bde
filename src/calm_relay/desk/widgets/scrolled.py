"""What scrolls where there is no room for it, instead of being squeezed."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget


def scrolled(name: str, *widgets: QWidget, spacing: int = 8) -> QScrollArea:
    """A column of widgets that scrolls up and down, by mouse and keys; `name` is what a screen reader says."""
    inside = QWidget()
    column = QVBoxLayout(inside)
    column.setContentsMargins(0, 0, 6, 0)
    column.setSpacing(spacing)
    for widget in widgets:
        column.addWidget(widget)
    column.addStretch(1)
    area = QScrollArea()
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inside)
    area.setAccessibleName(name)
    return area
