"""A field that finds a town by its name, offline."""

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from calm_relay.desk.widgets.label import tip
from calm_relay.exchange.places import ATTRIBUTION

SETTLE_MS = 180
ROW = 22


class PlaceField(QWidget):
    """Type a name, choose from the list below it with mouse or arrow keys.

    Signals
    -------
    sought : str
        What is typed, once typing pauses; answer with `offer`.
    taken : object
        The place that was chosen.
    """

    sought = Signal(str)
    taken = Signal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.line = QLineEdit()
        self.line.setPlaceholderText("a town, such as Nelson or Tralee")
        self.line.setAccessibleName("Find a place by its name")
        self.line.setToolTip(tip(ATTRIBUTION))
        self.result = QListWidget()
        self.result.setAccessibleName("Places found")
        self.result.setToolTip(tip(ATTRIBUTION))
        self.result.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.line)
        column.addWidget(self.result)
        self._pause = QTimer(self, singleShot=True, interval=SETTLE_MS)
        self._pause.timeout.connect(self._seek)
        self._waits = False
        # Whether Return was pressed before what is typed had been looked for.
        self._hurried = False
        self._offered = ""
        self.line.textEdited.connect(self._on_typed)
        self.line.returnPressed.connect(self._on_return)
        self.result.itemActivated.connect(self._on_item)
        self.result.itemClicked.connect(self._on_item)

    def show_place(self, name: str) -> None:
        """Says where the job stands while nothing is typed."""
        self.line.setPlaceholderText(f"{name}; type another town" if name else "a town, such as Nelson or Tralee")

    def seek_again(self) -> None:
        """Asks once more for what is typed, where nobody could answer."""
        if self._waits and not self._pause.isActive():
            self._seek()

    def _seek(self):
        self._waits = True
        self.sought.emit(self.line.text())

    def _on_typed(self, text):
        self._waits = self._hurried = False
        if len(text.strip()) >= 2:
            self._pause.start()
        else:
            self._pause.stop()
            self.result.hide()

    def offer(self, text: str, places) -> None:
        """Lists places found for a text, unless another was typed meanwhile."""
        if text != self.line.text():
            return
        self._waits, hurried, self._hurried = False, self._hurried, False
        self._offered = text
        named = [place for place in places if place.name.casefold() == text.strip().casefold()]
        if hurried and len(named) == 1:
            self._take(named[0])
            return
        self.result.clear()
        for place in places:
            item = QListWidgetItem(f"{place.label}   {place.latitude:.2f}°, {place.longitude:.2f}°")
            item.setData(Qt.ItemDataRole.UserRole, place)
            self.result.addItem(item)
        if not places:
            item = QListWidgetItem("No such place is known: type coordinates, or a larger town near it.")
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.result.addItem(item)
        else:
            self.result.setCurrentRow(0)
        self.result.setFixedHeight(min(max(len(places), 1), 6) * ROW + 6)
        self.result.show()

    def keyPressEvent(self, event):
        """Arrow keys go into the list, Escape closes it."""
        if event.key() == Qt.Key.Key_Down and self.result.isVisible():
            self.result.setFocus()
        elif event.key() == Qt.Key.Key_Escape and self.result.isVisible():
            self.result.hide()
        else:
            super().keyPressEvent(event)

    def _on_return(self):
        text = self.line.text()
        if self.result.isVisible() and self._offered == text:
            if self.result.currentItem():
                self._on_item(self.result.currentItem())
        elif len(text.strip()) >= 2:
            # What is listed still is of fewer letters.
            self._pause.stop()
            self._hurried = True
            self._seek()

    def _on_item(self, item):
        place = item.data(Qt.ItemDataRole.UserRole)
        if place is not None:
            self._take(place)

    def _take(self, place):
        self._waits = False
        self.result.hide()
        self.line.clear()
        self.taken.emit(place)
