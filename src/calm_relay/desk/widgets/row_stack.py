"""Rows of fields that are added at the end and removed one by one."""

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget


class RowStack(QWidget):
    """Rows, each a widget with its fields by name, and under them the button that adds one.

    A kind of row says in `append` which fields it has, and hands them to `put`.
    """

    def __init__(self, add: str, most: int, parent=None):
        super().__init__(parent)
        self._most = most
        self.rows: list[tuple[QWidget, dict]] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(3)
        self.add = QPushButton(add)
        self.add.setObjectName("small")
        self.add.clicked.connect(lambda _=False: self.on_add())
        self._column.addWidget(self.add)

    def on_add(self) -> None:
        """Adds an empty row, or the usual one."""
        self.append(None)

    def append(self, value) -> None:
        """Adds a row that shows a value."""
        raise NotImplementedError

    @property
    def full(self) -> bool:
        """Whether no further row may be added."""
        return len(self.rows) >= self._most

    def put(self, fields: dict, parts, what: str) -> None:
        """Adds a row: its fields by name, its widgets from left to right with the room each takes, and its name."""
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        for widget, stretch in parts:
            line.addWidget(widget, stretch)
        gone = QPushButton("Remove")
        gone.setObjectName("small")
        gone.setAccessibleName(f"Remove {what}")
        gone.clicked.connect(lambda _=False: self.on_remove(row))
        line.addWidget(gone)
        self.rows.append((row, fields))
        self._column.insertWidget(self._column.count() - 1, row)
        self.add.setEnabled(not self.full)

    def on_remove(self, row: QWidget) -> None:
        """A person takes a row away."""
        self.drop(row)

    def drop(self, row: QWidget) -> None:
        """Takes a row away."""
        self.rows = [item for item in self.rows if item[0] is not row]
        self._column.removeWidget(row)
        row.hide()
        row.deleteLater()
        self.add.setEnabled(True)

    def show_value(self, values) -> None:
        """Shows values in place of what is there."""
        for row, _ in list(self.rows):
            self.drop(row)
        for value in values:
            self.append(value)
