"""The line as a widget: pointed at and stepped through, it says which station is meant."""

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from calm_relay.desk.energy_path.path_picture import HEIGHT, HEIGHT_BEGUN, LinePicture
from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours


class LineView(QWidget):
    """Draws one line; emits `station_chosen` with a station's name when it is clicked or entered."""

    station_chosen = Signal(str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._line = None
        self._lit = None
        self._open = None
        self._moment = None
        self._cursor = 0
        self._high = round(HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("The line from site to grid")

    def sizeHint(self) -> QSize:
        """Natural size."""
        return QSize(1040, self._high)

    def minimumSizeHint(self) -> QSize:
        """Least size at which captions do not touch."""
        return QSize(900, self._high)

    @property
    def line(self):
        """The line shown, None before the first plan."""
        return self._line

    def show_line(self, line, moment=None, *, begun=False) -> None:
        """Draws a line, with what flows on it while a moment is shown; a job only begun may have no branch yet."""
        self._line, self._moment = line, moment
        flat = begun and not any(station.row for station in line.stations)
        high = round(HEIGHT_BEGUN if flat else HEIGHT)
        if high != self._high:
            self._high = high
            self.updateGeometry()
        summary = "; ".join(
            f"{station.name}: {station.headline}" + (f", {station.headroom.caption}" if station.headroom else "")
            for station in line.stations
        )
        self.setAccessibleDescription(summary)
        self.update()

    def light(self, name: str) -> None:
        """Rings a station; an empty name rings none."""
        self._lit = name or None
        self.update()

    def mark_open(self, name: str) -> None:
        """Rings the station whose bench is open."""
        self._open = name
        self.update()

    def _picture(self):
        return LinePicture(self._line, QRectF(self.rect()), colours(), self._moment)

    @painted
    def paintEvent(self, painter):
        """Paints the line."""
        if self._line is None:
            return
        lit = self._lit
        if lit is None and self.hasFocus():
            lit = self._line.stations[self._cursor % len(self._line.stations)].name
        self._picture().paint(painter, lit, self._open)

    def mouseMoveEvent(self, event):
        """Tells a station's full text while it is pointed at."""
        station = self._picture().station_at(event.position()) if self._line else None
        self.setCursor(Qt.CursorShape.PointingHandCursor if station else Qt.CursorShape.ArrowCursor)
        if station:
            lines = [f"{station.name}: {station.headline}", station.detail]
            if station.headroom:
                lines.append(station.headroom.caption)
            lines.append(f"From: {station.source}")
            QToolTip.showText(event.globalPosition().toPoint(), tip("\n".join(filter(None, lines))), self)

    def mousePressEvent(self, event):
        """Chooses the station under the pointer."""
        station = self._picture().station_at(event.position()) if self._line else None
        if station:
            self._cursor = self._line.stations.index(station)
            self.station_chosen.emit(station.name)

    def keyPressEvent(self, event):
        """Left and right step through the stations, Return chooses one."""
        if self._line is None:
            return
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if event.key() in steps:
            order = sorted(range(len(self._line.stations)), key=lambda i: (self._line.stations[i].column, i))
            at = order.index(self._cursor % len(order))
            self._cursor = order[(at + steps[event.key()]) % len(order)]
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.station_chosen.emit(self._line.stations[self._cursor % len(self._line.stations)].name)
        else:
            super().keyPressEvent(event)
