"""What scrolls where there is no room for it, instead of being squeezed."""

from PySide6.QtCore import QEvent, QSize, Qt
from PySide6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget


class Column(QScrollArea):
    """Scrolls up and down alone, and is never narrower than what it shows."""

    def __init__(self, inside: QWidget, parent: QWidget | None = None):
        super().__init__(parent)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidget(inside)
        inside.installEventFilter(self)

    def minimumSizeHint(self) -> QSize:
        """As wide as its content must be, and the bar beside it."""
        wide = self.widget().minimumSizeHint().width() + self.verticalScrollBar().sizeHint().width()
        return QSize(wide, super().minimumSizeHint().height())

    def eventFilter(self, watched, event) -> bool:
        """Content that grows wider asks for the room."""
        if event.type() == QEvent.Type.LayoutRequest:
            self.setMinimumWidth(self.minimumSizeHint().width())
        return super().eventFilter(watched, event)


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
