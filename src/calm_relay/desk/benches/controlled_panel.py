"""Controlled loads: who takes the array's surplus, as a list to drag, and what each order comes to."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.charts.order_picture import OrderPicture
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.scrolled import scrolled
from calm_relay.desk.widgets.theme import font
from calm_relay.job.control import BATTERY

NONE = "No load here is controlled. Add hot water, a pool pump, or a car that is charged on surplus."


class ControlledPanel(QWidget):
    """Edits `Control.surplus_order`; emits `edited` with the new job and the edit's name."""

    edited = Signal(object, str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = None
        self.order = QListWidget()
        self.order.setAccessibleName("Who takes what the array leaves, in order")
        self.order.setToolTip("Drag a line, or move it with the buttons; the first takes surplus first")
        self.order.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.order.model().rowsMoved.connect(lambda *_: self._on_moved())
        self.earlier, self.later = QPushButton("Earlier"), QPushButton("Later")
        self.earlier.clicked.connect(lambda _=False: self.move_by(-1))
        self.later.clicked.connect(lambda _=False: self.move_by(1))
        self.picture = OrderPicture()
        self.nothing = Label(NONE)
        self.nothing.setObjectName("quiet")
        self.nothing.setWordWrap(True)
        head = Label("Surplus goes to")
        head.setFont(font(9, strong=True))
        head.setBuddy(self.order)
        side = QVBoxLayout()
        side.setSpacing(4)
        side.addWidget(head)
        side.addWidget(self.order, 1)
        buttons = QHBoxLayout()
        for button in (self.earlier, self.later):
            button.setObjectName("small")
            buttons.addWidget(button)
        side.addLayout(buttons)
        self._side = QWidget()
        self._side.setLayout(side)
        side.setContentsMargins(0, 0, 0, 0)
        self._side.setFixedWidth(190)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 4, 0, 0)
        row.setSpacing(12)
        row.addWidget(self.nothing)
        row.addWidget(self._side)
        self._scroll = scrolled("What each order comes to", self.picture)
        row.addWidget(self._scroll, 1)

    def show_job(self, job) -> None:
        """Shows the order of the job's loads and its battery."""
        self._job = job
        names = [load.name for load in job.demand.controlled]
        at = self.order.currentRow()
        self.order.clear()
        for name in job.control.order_of(names):
            item = QListWidgetItem("Battery" if name == BATTERY else name)
            item.setData(Qt.ItemDataRole.UserRole, name)
            self.order.addItem(item)
        self.order.setCurrentRow(min(max(at, 0), self.order.count() - 1))
        for widget in (self._side, self._scroll):
            widget.setVisible(bool(names))
        self.nothing.setVisible(not names)

    def show_orders(self, result, job) -> None:
        """Draws `planning.studies.load_order.load_orders`; None while it is not known."""
        self.picture.show_orders(result, job.tariff.currency)

    @property
    def is_drawn(self) -> bool:
        """Whether the orders have been run and are shown."""
        return self.picture.is_drawn

    def move_by(self, steps: int) -> None:
        """Moves the line in hand up or down."""
        at = self.order.currentRow()
        to = at + steps
        if at >= 0 and 0 <= to < self.order.count():
            self.order.insertItem(to, self.order.takeItem(at))
            self.order.setCurrentRow(to)
            self._on_moved()

    def _on_moved(self):
        order = tuple(self.order.item(row).data(Qt.ItemDataRole.UserRole) for row in range(self.order.count()))
        names = [load.name for load in self._job.demand.controlled]
        if order == self._job.control.order_of(names):
            return
        job = self._job.with_(control=self._job.control.with_(surplus_order=order))
        self.edited.emit(job, f"Surplus first to {order[0] if order[0] != BATTERY else 'the battery'}")

    def keyPressEvent(self, event):
        """Alt and an arrow move the line in hand."""
        steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(event.key())
        if steps is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.move_by(steps)
        else:
            super().keyPressEvent(event)
