"""A chart with a mark that is drawn, clicked or stepped along."""

import pyqtgraph as pg
from PySide6.QtCore import Qt, Signal

from calm_relay.desk.charts.chart import Chart, pen
from calm_relay.desk.widgets.theme import colours

STEPS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageUp: -4, Qt.Key.Key_PageDown: 4}


class CursorChart(Chart):
    """A chart with one mark; emits `pointed` with where it was put, in units of the x axis.

    `key_step` is how far the keys left and right move it; the page keys move it four times as far.
    """

    pointed = Signal(float)
    key_step = 0.25

    def __init__(self, title: str, x_label: str, y_label: str, parent=None):
        super().__init__(title, x_label, y_label, parent)
        self._cursor = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.scene().sigMouseClicked.connect(self._on_click)

    def start(self) -> None:
        """Clears what is drawn, the mark too."""
        self._cursor = None
        super().start()

    def waits(self, *words: str) -> None:
        """Nothing is drawn, and no mark."""
        self._cursor = None
        super().waits(*words)

    def add_cursor(self) -> None:
        """Puts the mark on top of what is drawn."""
        shade = colours().alternating
        self._cursor = pg.InfiniteLine(0.0, angle=90, pen=pen(shade, 2), hoverPen=pen(shade, 4), movable=True)
        self._cursor.setZValue(60)
        self._cursor.sigDragged.connect(lambda line: self.pointed.emit(float(line.value())))
        self.addItem(self._cursor)

    def place_cursor(self, x: float) -> None:
        """Moves the mark without a signal."""
        if self._cursor is not None:
            self._cursor.setValue(x)

    def _on_click(self, event):
        if self._cursor is not None and event.button() == Qt.MouseButton.LeftButton:
            self.pointed.emit(float(self.getViewBox().mapSceneToView(event.scenePos()).x()))

    def keyPressEvent(self, event):
        """Left and right move the mark by a step, the page keys by four."""
        step = STEPS.get(event.key())
        if step is None or self._cursor is None:
            super().keyPressEvent(event)
            return
        self.pointed.emit(float(self._cursor.value()) + step * self.key_step)
