"""A drawing of `planning.drawing` on a painter: the screen's, or a page's."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from calm_relay.desk.widgets.theme import LIGHT, colours, font
from calm_relay.exchange.shapes import Circle, Drawing, Stroke, Words, moved

# Dashes and gaps [mm].
DASHES = (1.6, 1.0)
FINE_DASHES = (1.9, 1.5)


def ink_of(layer: str, *, on_paper: bool = False) -> QColor:
    """The colour of a layer: alternating and direct current as on the line, the rest in ink."""
    held = LIGHT if on_paper else colours()
    found = {"DC": held.direct, "AC": held.alternating, "DATA": held.quiet, "EARTH": held.quiet}
    return QColor(found.get(layer, held.ink))


def paint_drawing(
    painter: QPainter,
    drawing: Drawing,
    scale: float,
    *,
    lit: str = "",
    stopped: frozenset[str] = frozenset(),
    on_paper: bool = False,
    shift: tuple[str, float, float] | None = None,
) -> None:
    """Paints a drawing from the painter's origin.

    Parameters
    ----------
    painter : QPainter
        Where to.
    drawing : Drawing
        What.
    scale : float
        Units of the painter for a millimetre.
    lit : str
        Key of the part that is shown as chosen.
    stopped : frozenset of str
        Keys of parts that must not be built so.
    on_paper : bool
        Whether it is printed: dark ink on white.
    shift : tuple of str, float, float, optional
        Words or a part that are being moved, and by how much [mm].
    """
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for shape in drawing.shapes:
        chosen = bool(lit) and shape.part == lit
        wrong = bool(shape.part) and shape.part in stopped
        if shift is not None and shift[0] in (shape.part, getattr(shape, "label", "")):
            shape = moved(shape, shift[1], shift[2])
        if isinstance(shape, Words):
            _write(painter, shape, scale, chosen=chosen, wrong=wrong, on_paper=on_paper)
            continue
        ink = QColor(colours().light) if chosen else ink_of(shape.layer, on_paper=on_paper)
        if wrong:
            ink = QColor(colours().stop)
        width = max(shape.width * scale, 1.0) * (1.6 if chosen else 1.0)
        pen = QPen(ink, width)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        pen.setJoinStyle(Qt.PenJoinStyle.MiterJoin)
        if shape.dashed:
            parts = FINE_DASHES if shape.layer == "DATA" else DASHES
            pen.setDashPattern([part * scale / width for part in parts])
        painter.setPen(pen)
        painter.setBrush(ink if shape.filled else Qt.BrushStyle.NoBrush)
        if isinstance(shape, Circle):
            _circle(painter, shape, scale)
        else:
            _stroke(painter, shape, scale)
    painter.restore()


def _stroke(painter: QPainter, shape: Stroke, scale: float) -> None:
    path = QPainterPath()
    points = [QPointF(x * scale, y * scale) for x, y in shape.points]
    path.moveTo(points[0])
    for point in points[1:]:
        path.lineTo(point)
    if shape.closed:
        path.closeSubpath()
    painter.drawPath(path)


def _circle(painter: QPainter, shape: Circle, scale: float) -> None:
    x, y, r = shape.centre[0] * scale, shape.centre[1] * scale, shape.radius * scale
    box = QRectF(x - r, y - r, 2 * r, 2 * r)
    if shape.is_arc:
        painter.drawArc(box, round(shape.start * 16), round((shape.end - shape.start) * 16))
    else:
        painter.drawEllipse(box)


def _write(painter: QPainter, words: Words, scale: float, *, chosen: bool, wrong: bool, on_paper: bool) -> None:
    letters = font(strong=words.bold or chosen)
    letters.setPixelSize(max(round(words.size * scale), 1))
    painter.setFont(letters)
    ink = QColor(colours().stop) if wrong else ink_of(words.layer, on_paper=on_paper)
    painter.setPen(ink)
    width = painter.fontMetrics().horizontalAdvance(words.text)
    x = words.at[0] * scale - {"start": 0.0, "middle": 0.5, "end": 1.0}[words.anchor] * width
    painter.drawText(QPointF(x, words.at[1] * scale), words.text)
