"""The roof under its sky: paths of the sun, and each face as a wedge that can be turned."""

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font, shade_of
from calm_relay.physics.horizon import horizon_elevation

HALF_WIDTH = 14.0
STEP = 5.0
# Directions in which the horizon is drawn by hand, and the height below which it counts as flat [deg].
BIN, FLAT = 5.0, 1.0
BINS = round(360 / BIN)
DIRECTIONS = np.arange(BINS) * BIN
ARROWS = {
    Qt.Key.Key_Left: (-1, 0.0),
    Qt.Key.Key_Right: (1, 0.0),
    Qt.Key.Key_Up: (0, 1.0),
    Qt.Key.Key_Down: (0, -1.0),
}


class SunDial(QWidget):
    """Seen from above, north up: the zenith in the middle, the horizon on the rim.

    A face is a wedge towards its azimuth; the steeper it stands the longer the wedge.

    Signals
    -------
    turned : int, float
        A face and its new azimuth, when a wedge was dragged.
    chosen : int
        The face that was taken hold of.
    drawn : object
        The horizon as a tuple of (azimuth, elevation), when it was drawn.
    """

    turned = Signal(int, float)
    chosen = Signal(int)
    drawn = Signal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._tracks, self._faces, self._sun = (), (), None
        self._drag = None
        self._cursor = 0
        self._horizon = np.zeros(BINS)
        self._pen = None
        self._drawing = False
        self._direction = 0
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Sun paths and faces; up and down choose a face, left and right turn it")

    def sizeHint(self) -> QSize:
        """Square."""
        return QSize(300, 260)

    @property
    def cursor(self) -> int:
        """Number of the face that is chosen."""
        return min(self._cursor, max(len(self._faces) - 1, 0))

    def choose(self, number: int) -> None:
        """Chooses a face."""
        self._cursor = number
        self.update()

    def draw_horizon(self, drawing: bool) -> None:
        """Whether the pointer draws the horizon instead of turning faces."""
        self._drawing = drawing
        self.setCursor(Qt.CursorShape.CrossCursor if drawing else Qt.CursorShape.ArrowCursor)
        self.setAccessibleName(
            "The horizon; left and right choose a direction, up and down raise and lower it"
            if drawing
            else "Sun paths and faces; up and down choose a face, left and right turn it"
        )
        self.update()

    def show_horizon(self, points) -> None:
        """Shows a horizon line: points of azimuth and elevation."""
        azimuths = [point.azimuth for point in points]
        self._horizon = horizon_elevation(DIRECTIONS, azimuths, [point.elevation for point in points])
        self.update()

    def show_site(self, tracks, faces, sun=None) -> None:
        """Draws sun tracks and faces; `sun` is (azimuth, elevation) of the moment in view, or None."""
        self._tracks, self._faces, self._sun = tracks, tuple(faces), sun
        self._drag = None
        self.setAccessibleDescription(
            "; ".join(f"{face.name}: {face.azimuth:g}° azimuth, {face.tilt:g}° tilt" for face in self._faces)
        )
        self.update()

    def _rim(self):
        return self.rect().center(), min(self.width(), self.height()) / 2 - 34

    def _at(self, azimuth, elevation):
        centre, radius = self._rim()
        out = radius * (90.0 - elevation) / 90.0
        angle = math.radians(azimuth)
        return QPointF(centre.x() + out * math.sin(angle), centre.y() - out * math.cos(angle))

    def _azimuth_at(self, position):
        centre, _ = self._rim()
        return math.degrees(math.atan2(position.x() - centre.x(), centre.y() - position.y())) % 360.0

    def _elevation_at(self, position):
        centre, radius = self._rim()
        out = math.hypot(position.x() - centre.x(), position.y() - centre.y())
        return min(max(90.0 * (1.0 - out / radius), 0.0), 89.0)

    def _shown(self, number):
        return self._drag[1] if self._drag and self._drag[0] == number else self._faces[number].azimuth

    def wedge(self, number: int) -> QPainterPath:
        """The wedge of a face."""
        azimuth, tilt = self._shown(number), self._faces[number].tilt
        centre, radius = self._rim()
        out = radius * (0.25 + 0.6 * tilt / 90.0)
        path = QPainterPath(QPointF(centre))
        rect = QRectF(centre.x() - out, centre.y() - out, 2 * out, 2 * out)
        path.arcTo(rect, 90.0 - azimuth - HALF_WIDTH, 2 * HALF_WIDTH)
        path.closeSubpath()
        return path

    @painted
    def paintEvent(self, painter):
        """Paints dial, tracks and wedges."""
        look = colours()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        centre, radius = self._rim()
        for elevation in (0, 30, 60):
            out = radius * (90 - elevation) / 90
            painter.setPen(QPen(QColor(look.rule), 1.4 if elevation == 0 else 1))
            painter.drawEllipse(QPointF(centre), out, out)
        painter.setFont(font(8))
        for name, azimuth in (("N", 0), ("E", 90), ("S", 180), ("W", 270)):
            painter.setPen(QColor(look.quiet))
            at = self._at(azimuth, -12)
            painter.drawText(QRectF(at.x() - 10, at.y() - 8, 20, 16), Qt.AlignmentFlag.AlignCenter, name)
        self._paint_horizon(painter, look)
        for number, face in enumerate(self._faces):
            self._paint_face(painter, look, number, face)
        self._paint_tracks(painter, look)
        if self._sun is not None and self._sun[1] > 0:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(look.light))
            painter.drawEllipse(self._at(*self._sun), 6, 6)

    def _paint_horizon(self, painter, look):
        if not self._horizon.any() and not self._drawing:
            return
        rim, line = QPainterPath(), QPainterPath()
        centre, radius = self._rim()
        rim.addEllipse(QPointF(centre), radius, radius)
        for i, (azimuth, elevation) in enumerate(zip(DIRECTIONS, self._horizon, strict=True)):
            at = self._at(float(azimuth), float(elevation))
            line.moveTo(at) if i == 0 else line.lineTo(at)
        line.closeSubpath()
        shade = QColor(look.ink)
        shade.setAlpha(70)
        painter.setPen(QPen(QColor(look.ink), 1.2))
        painter.setBrush(shade)
        painter.drawPath(rim.subtracted(line))
        if self._drawing and self.hasFocus():
            azimuth = float(DIRECTIONS[self._direction])
            painter.setBrush(QColor(look.alternating))
            painter.drawEllipse(self._at(azimuth, float(self._horizon[self._direction])), 5, 5)

    def _paint_tracks(self, painter, look):
        for number, track in enumerate(self._tracks):
            style = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine)[number]
            painter.setPen(QPen(QColor(look.light), 1.6, style))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            path = QPainterPath()
            for i, (azimuth, elevation) in enumerate(zip(track.azimuth, track.elevation, strict=True)):
                at = self._at(float(azimuth), float(elevation))
                path.moveTo(at) if i == 0 else path.lineTo(at)
            painter.drawPath(path)
            key = self.height() - 8 - 13 * (len(self._tracks) - 1 - number)
            painter.drawLine(4, key - 4, 24, key - 4)
            painter.setPen(QColor(look.quiet))
            painter.setFont(font(7.2))
            painter.drawText(30, key, track.label)
            for azimuth, elevation, hour in zip(track.azimuth, track.elevation, track.hours, strict=True):
                at = self._at(float(azimuth), float(elevation))
                free = not any(self.wedge(i).contains(at) for i in range(len(self._faces)))
                if number != 1 and hour % 3 == 0 and free:
                    painter.drawText(
                        QRectF(at.x() - 12, at.y() - 14, 24, 12), Qt.AlignmentFlag.AlignCenter, f"{hour:.0f}"
                    )

    def _paint_face(self, painter, look, number, face):
        shade = QColor(shade_of(number))
        shade.setAlpha(150 if number == self._cursor else 80)
        painter.setBrush(shade)
        painter.setPen(QPen(QColor(look.ink), 2.2 if number == self._cursor else 1.0))
        painter.drawPath(self.wedge(number))
        middle = self.wedge(number).boundingRect().center()
        painter.setPen(QColor(look.ink))
        painter.setFont(font(9, strong=True))
        painter.drawText(
            QRectF(middle.x() - 12, middle.y() - 9, 24, 18), Qt.AlignmentFlag.AlignCenter, str(number + 1)
        )

    def mousePressEvent(self, event):
        """Takes hold of the wedge under the pointer, or begins to draw the horizon."""
        if self._drawing:
            self._pen = self._bin_at(event.position())
            self._draw_to(event.position())
            return
        for number in range(len(self._faces)):
            if self.wedge(number).contains(event.position()):
                self._cursor, self._drag = number, (number, self._faces[number].azimuth)
                self.chosen.emit(number)
                self.update()
                return

    def _bin_at(self, position):
        return round(self._azimuth_at(position) / BIN) % BINS

    def _draw_to(self, position):
        """Raises or lowers the line between where the pen was and where it is, the shorter way round."""
        there, height = self._bin_at(position), self._elevation_at(position)
        height = 0.0 if height < FLAT else height
        way = (there - self._pen + BINS // 2) % BINS - BINS // 2
        step = 1 if way >= 0 else -1
        for i in range(0, way + step, step):
            self._horizon[(self._pen + i) % BINS] = height
        self._pen = there
        self.update()

    def _show_horizon(self):
        kept = [i for i in range(BINS) if not self._is_between(i)]
        if not self._horizon.any():
            kept = []
        self.drawn.emit(tuple((float(DIRECTIONS[i]), round(float(self._horizon[i]), 1)) for i in kept))

    def _is_between(self, i):
        """Whether a direction lies straight between its neighbours and need not be kept."""
        before, after = self._horizon[i - 1], self._horizon[(i + 1) % BINS]
        return abs(self._horizon[i] - (before + after) / 2) < 1e-9

    def mouseMoveEvent(self, event):
        """Turns the wedge that is held, in steps of five degrees, or draws on."""
        if self._pen is not None:
            self._draw_to(event.position())
        elif self._drawing:
            pass
        elif self._drag:
            self._drag = (self._drag[0], round(self._azimuth_at(event.position()) / STEP) * STEP % 360.0)
            self.update()
        else:
            over = any(self.wedge(number).contains(event.position()) for number in range(len(self._faces)))
            self.setCursor(Qt.CursorShape.OpenHandCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event):
        """Lets the wedge or the pen go."""
        if self._pen is not None:
            self._pen = None
            self._show_horizon()
            return
        if self._drag:
            number, azimuth = self._drag
            self._drag = None
            self.update()
            if azimuth != self._faces[number].azimuth:
                self.turned.emit(number, azimuth)

    def keyPressEvent(self, event):
        """Up and down choose a face, left and right turn it; drawing, they move along the horizon and lift it."""
        if self._drawing and event.key() in ARROWS:
            along, lift = ARROWS[event.key()]
            self._direction = (self._direction + along) % BINS
            if lift:
                self._horizon[self._direction] = min(max(self._horizon[self._direction] + lift, 0.0), 89.0)
                self._show_horizon()
            self.update()
            return
        if not self._faces:
            return
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._cursor = (self._cursor + (1 if event.key() == Qt.Key.Key_Down else -1)) % len(self._faces)
            self.chosen.emit(self._cursor)
            self.update()
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            turn = STEP if event.key() == Qt.Key.Key_Right else -STEP
            self.turned.emit(self._cursor, (self._faces[self._cursor].azimuth + turn) % 360.0)
        else:
            super().keyPressEvent(event)
