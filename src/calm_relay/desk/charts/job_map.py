"""A map of jobs on an outline of the land: one mark a place, its number where several jobs lie there."""

from dataclasses import dataclass
from functools import lru_cache
from math import cos, hypot, radians

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.exchange.shipped import world_outline

# Jobs nearer than this on the map are one mark [pixels]; a mark's least and largest radius.
TOGETHER, LEAST, MOST = 16.0, 5.0, 16.0
# Least span that is shown [degrees]: of one job one still sees where on the earth it is.
SPAN = 14.0
LEGEND = 18.0


@dataclass(frozen=True)
class Spot:
    """A job on the map: its file, where it is [degrees], and whether its customer is to be called."""

    file: str
    latitude: float
    longitude: float
    calls: bool = False


@dataclass(frozen=True)
class _Mark:
    at: QPointF
    spots: tuple[Spot, ...]

    @property
    def radius(self) -> float:
        return min(LEAST + 1.2 * (len(self.spots) - 1) ** 0.4, MOST)


@lru_cache(maxsize=1)
def _shapes():
    """Outlines of the land in degrees, each with what it lies in."""
    rings = world_outline()[1]
    shapes = [
        QPolygonF([QPointF(lon, lat) for lon, lat in zip(ring[::2], ring[1::2], strict=True)]) for ring in rings
    ]
    return tuple((shape, shape.boundingRect()) for shape in shapes)


class JobMap(QWidget):
    """Draws jobs where they are, the land under them.

    Signals
    -------
    place_chosen : object
        Files of the jobs of a mark that was clicked; empty where none was.
    """

    place_chosen = Signal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._spots, self._chosen, self._whole = (), frozenset(), False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Map of the jobs")
        self.setMouseTracking(True)

    @property
    def attribution(self) -> str:
        """Where the outline is from."""
        first, *_, last = world_outline()[0].split(", ")
        return f"Land: {first}, {last}"

    def sizeHint(self) -> QSize:
        """Room for a country."""
        return QSize(380, 300)

    def minimumSizeHint(self) -> QSize:
        """The least at which places can be told apart."""
        return QSize(220, 150)

    def show_spots(self, spots) -> None:
        """Draws other jobs."""
        self._spots = tuple(spots)
        places = len({(round(spot.latitude, 1), round(spot.longitude, 1)) for spot in self._spots})
        calls = sum(spot.calls for spot in self._spots)
        said = f"{len(self._spots)} jobs at {places} places" + (f", {calls} to be called" if calls else "")
        self.setAccessibleDescription(said)
        self.update()

    def show_whole(self, on: bool) -> None:
        """Shows the whole world, or the part in which the jobs lie."""
        self._whole = on
        self.update()

    def choose(self, files) -> None:
        """Marks the place of some jobs."""
        self._chosen = frozenset(files)
        self.update()

    def _frame(self):
        """Middle [degrees] and pixels a degree, across and up."""
        whole = self._whole or not self._spots
        lon = [-170.0, 190.0] if whole else [spot.longitude for spot in self._spots]
        lat = [-57.0, 78.0] if whole else [spot.latitude for spot in self._spots]
        middle = (min(lon) + max(lon)) / 2, (min(lat) + max(lat)) / 2
        stretch = 1.0 if max(lat) - min(lat) > 60.0 else max(cos(radians(middle[1])), 0.2)
        across = (max(lon) - min(lon)) * (1.0 if whole else 1.25)
        up = (max(lat) - min(lat)) * (1.0 if whole else 1.4)
        per_degree = min(
            self.width() / max(across * stretch, SPAN * stretch),
            (self.height() - LEGEND) / max(up, SPAN * 0.7),
        )
        return middle, per_degree * stretch, per_degree

    def _marks(self):
        middle, across, up = self._frame()
        centre = QPointF(self.width() / 2, (self.height() - LEGEND) / 2)
        found: list[tuple[QPointF, list[Spot]]] = []
        for spot in self._spots:
            at = centre + QPointF((spot.longitude - middle[0]) * across, (middle[1] - spot.latitude) * up)
            for there, together in found:
                if hypot(there.x() - at.x(), there.y() - at.y()) < TOGETHER:
                    together.append(spot)
                    break
            else:
                found.append((at, [spot]))
        return [_Mark(at, tuple(together)) for at, together in found]

    @painted
    def paintEvent(self, painter):
        """Paints land, marks and what they mean."""
        look = colours()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(0, 0, self.width(), self.height() - LEGEND)
        painter.fillRect(room, QColor(look.card))
        painter.save()
        painter.setClipRect(room)
        self._paint_land(painter, look)
        for mark in self._marks():
            self._paint_mark(painter, look, mark)
        painter.restore()
        painter.setFont(font(7.6))
        painter.setPen(QColor(look.quiet))
        foot = QRectF(2, self.height() - LEGEND, self.width() - 4, LEGEND)
        calls = any(spot.calls for spot in self._spots)
        meaning = "○ jobs, how many   ● somebody to call" if calls else "○ jobs, how many"
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, meaning)

    def _paint_land(self, painter, look):
        middle, across, up = self._frame()
        painter.save()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(look.field))
        painter.translate(self.width() / 2, (self.height() - LEGEND) / 2)
        painter.scale(across, -up)
        painter.translate(-middle[0], -middle[1])
        wide, high = self.width() / across, self.height() / up
        seen = QRectF(middle[0] - wide / 2, middle[1] - high / 2, wide, high)
        for shape, around in _shapes():
            if around.intersects(seen):
                painter.drawPolygon(shape)
        painter.restore()

    def _paint_mark(self, painter, look, mark):
        calls = any(spot.calls for spot in mark.spots)
        chosen = any(spot.file in self._chosen for spot in mark.spots)
        painter.setPen(QPen(QColor(look.ink), 2.4 if chosen else 1.2))
        painter.setBrush(QColor(look.ink if calls else look.paper))
        painter.drawEllipse(mark.at, mark.radius, mark.radius)
        if len(mark.spots) > 1:
            painter.setFont(font(7.2, strong=True))
            painter.setPen(QColor(look.paper if calls else look.ink))
            side = 2.0 * mark.radius + 12.0
            around = QRectF(mark.at.x() - side / 2, mark.at.y() - side / 2, side, side)
            painter.drawText(around, Qt.AlignmentFlag.AlignCenter, str(len(mark.spots)))

    def _mark_at(self, point):
        near = [
            mark
            for mark in self._marks()
            if hypot(mark.at.x() - point.x(), mark.at.y() - point.y()) <= mark.radius + 3
        ]
        return near[0] if near else None

    def mousePressEvent(self, event):
        """A click chooses a place, one beside every place none."""
        mark = self._mark_at(event.position())
        self.place_chosen.emit(tuple(spot.file for spot in mark.spots) if mark else ())

    def mouseMoveEvent(self, event):
        """Says how many jobs lie under the pointer."""
        mark = self._mark_at(event.position())
        count = len(mark.spots) if mark else 0
        self.setToolTip("" if not count else f"{count} {'job' if count == 1 else 'jobs'}")
