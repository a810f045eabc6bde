"""Find a command by typing a part of its name."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout


def plain(text: str) -> str:
    """A command's text without its key mark and dots."""
    return text.replace("&", "").rstrip("…")


class Finder(QDialog):
    """Lists commands that hold every typed word; Return runs the one marked."""

    def __init__(self, actions, parent=None):
        super().__init__(parent)
        self.setWindowTitle("Find a command")
        self.resize(460, 340)
        self._actions = [action for action in actions if action.isEnabled() and plain(action.text())]
        self.words = QLineEdit()
        self.words.setPlaceholderText("Type a part of a command")
        self.words.setAccessibleName("Part of a command's name")
        self.result = QListWidget()
        self.result.setAccessibleName("Commands found")
        self.words.textChanged.connect(self._list)
        self.words.returnPressed.connect(self._run)
        self.result.itemActivated.connect(lambda _: self._run())
        column = QVBoxLayout(self)
        column.addWidget(self.words)
        column.addWidget(self.result)
        self._list("")

    def _list(self, text):
        words = text.lower().split()
        self.result.clear()
        for action in self._actions:
            name = plain(action.text())
            if all(word in name.lower() for word in words):
                keys = action.shortcut().toString()
                item = QListWidgetItem(f"{name}    {keys}" if keys else name)
                item.setData(Qt.ItemDataRole.UserRole, action)
                self.result.addItem(item)
        self.result.setCurrentRow(0)

    def _run(self):
        item = self.result.currentItem()
        if item is not None:
            self.accept()
            item.data(Qt.ItemDataRole.UserRole).trigger()

    def keyPressEvent(self, event):
        """Up and down move through the list while the words keep the focus."""
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.result.count():
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.result.setCurrentRow((self.result.currentRow() + step) % self.result.count())
        else:
            super().keyPressEvent(event)
