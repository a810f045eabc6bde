"""A drawing one can look around in: fitted or larger, its parts chosen by a click, its words moved by hand."""

from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtWidgets import QScrollArea, QSizePolicy, QWidget

from calm_relay.desk.widgets.drawing_picture import paint_drawing
from calm_relay.desk.widgets.painted import painted

# Pixels a millimetre: from a sheet on a small screen to its finest words in large letters.
LEAST, MOST = 1.2, 12.0
# Fitted to its room a sheet is still so large that its words can be read: then it scrolls.
READABLE = 2.7
STEP = 1.25
MOVED_PX = 4


class _Canvas(QWidget):
    """The drawing itself."""

    chosen = Signal(str)
    label_moved = Signal(str, float, float)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.drawing, self.scale, self.lit = None, 3.0, ""
        self.stopped: frozenset[str] = frozenset()
        self._grabbed, self._from, self._shift = "", QPointF(), QPointF()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """As large as the sheet at this scale."""
        if self.drawing is None:
            return QSize(300, 200)
        return QSize(round(self.drawing.width * self.scale), round(self.drawing.height * self.scale))

    @painted
    def paintEvent(self, painter):
        """Paints the sheet, words that are being moved at the pointer."""
        if self.drawing is None:
            return
        paint_drawing(painter, self.drawing, self.scale, lit=self.lit, stopped=self.stopped, shift=self._shifted())

    def _shifted(self):
        if not self._grabbed or self._shift.manhattanLength() < MOVED_PX:
            return None
        return self._grabbed, self._shift.x() / self.scale, self._shift.y() / self.scale

    def _at(self, position):
        return position.x() / self.scale, position.y() / self.scale

    def mousePressEvent(self, event):
        """Takes hold of words, or chooses a part."""
        if self.drawing is None or event.button() != Qt.MouseButton.LeftButton:
            return
        part = self.drawing.part_at(*self._at(event.position())) or self._part_of_words(event.position())
        self._grabbed = self.drawing.label_at(*self._at(event.position()))
        if part in self.drawing.movable:
            self._grabbed = part
        self._from, self._shift = event.position(), QPointF()
        if part:
            self.chosen.emit(part)

    def _part_of_words(self, position):
        return self.drawing.part_of_words(*self._at(position))

    def mouseMoveEvent(self, event):
        """Moves the words that are held."""
        if self._grabbed and event.buttons() & Qt.MouseButton.LeftButton:
            self._shift = event.position() - self._from
            self.update()
            return
        if self.drawing is not None:
            over = self.drawing.part_at(*self._at(event.position())) or self._part_of_words(event.position())
            self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event):
        """Lets the words go where they are."""
        shifted = self._shifted()
        self._grabbed, self._shift = "", QPointF()
        if shifted is not None:
            self.label_moved.emit(*shifted)
        self.update()

    def keyPressEvent(self, event):
        """The arrows go from part to part."""
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}
        if self.drawing is None or event.key() not in steps or not self.drawing.parts:
            super().keyPressEvent(event)
            return
        keys = list(self.drawing.parts)
        at = keys.index(self.lit) + steps[event.key()] if self.lit in keys else 0
        self.chosen.emit(keys[at % len(keys)])


class DrawingView(QScrollArea):
    """Shows a drawing fitted to its width, or larger.

    Signals
    -------
    chosen : str
        Key of a part that a person clicked or went to.
    label_moved : str, float, float
        Words, or a part that can be moved, that were dragged, and by how much [mm].
    """

    chosen = Signal(str)
    label_moved = Signal(str, float, float)

    def __init__(self, name: str, least: float = READABLE, parent=None):
        super().__init__(parent)
        self.setAccessibleName(name)
        self.canvas = _Canvas()
        self.canvas.setAccessibleName(name)
        self.setWidget(self.canvas)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self._fits, self._least = True, least
        self.canvas.chosen.connect(self.chosen)
        self.canvas.label_moved.connect(self.label_moved)

    def show_drawing(self, drawing, stopped=frozenset()) -> None:
        """Shows another drawing; `stopped` are the parts that must not be built so."""
        self.canvas.drawing, self.canvas.stopped = drawing, stopped
        self._settle()

    def light(self, key: str) -> None:
        """Marks a part."""
        self.canvas.lit = key
        self.canvas.update()

    def fit(self) -> None:
        """All of it, as large as the room allows."""
        self._fits, self._least = True, LEAST
        self._settle()

    def zoom(self, larger: bool) -> None:
        """A step larger or smaller."""
        self._fits = False
        self.canvas.scale = min(max(self.canvas.scale * (STEP if larger else 1.0 / STEP), LEAST), MOST)
        self._resize()

    def _settle(self):
        drawing = self.canvas.drawing
        if drawing is None:
            return
        if self._fits:
            room = self.viewport().size()
            across = room.width() / drawing.width
            down = room.height() / drawing.height
            self.canvas.scale = min(max(min(across, down), self._least), MOST)
        self._resize()

    def _resize(self):
        self.canvas.resize(self.canvas.sizeHint())
        self.canvas.update()

    def resizeEvent(self, event):
        """Fits it anew."""
        super().resizeEvent(event)
        if self._fits:
            self._settle()

    def wheelEvent(self, event):
        """With Ctrl the wheel makes it larger and smaller."""
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(event.angleDelta().y() > 0)
            event.accept()
            return
        super().wheelEvent(event)
