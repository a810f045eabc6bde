"""The inputs of an option's inverters as voltage ladders, with the strings below that can be dragged."""

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font, shade_of
from calm_relay.planning.common.amounts import degrees_text

HEAD, FOOT = 34.0, 18.0
# Width from which a ladder has room for whole words.
ROOMY = 220.0
CELL, STRING_GAP = 9.0, 5.0
MOST_STRINGS = 6


@dataclass(frozen=True)
class _Chip:
    """A string as drawn: its place in the plan, its area, its cells, and the column it stands in."""

    at: int
    rect: QRectF
    cells: tuple[QRectF, ...]
    column: int
    face: str
    modules: int


class LadderView(QWidget):
    """Draws `planning.views.string_ladder`; the strings of one unit can be changed by hand.

    Signals
    -------
    module_dropped : int, int
        A string, and the one its module was dropped on.
    module_to_input, string_to_input : int, int
        A string, and the input on which one module of it, or the whole, was dropped.
    length_wanted : int, int
        A string, and the modules it should have.
    chosen : int
        Column of the input that was turned to.
    """

    module_dropped = Signal(int, int)
    module_to_input = Signal(int, int)
    string_to_input = Signal(int, int)
    length_wanted = Signal(int, int)
    chosen = Signal(int)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._ladders, self._plan, self._faces = (), None, {}
        self._chips = ()
        self._held = None
        self._pointer = QPointF()
        self._column, self._string = 0, 0
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(
            "Voltage ladders of the inputs; left and right choose an input, up and down a string, plus and "
            "minus change its modules, page keys move it to another input"
        )

    def sizeHint(self) -> QSize:
        """Room for four inputs."""
        return QSize(620, 420)

    @property
    def column(self) -> int:
        """Column of the input in hand."""
        return min(self._column, max(len(self._ladders) - 1, 0))

    def show_ladders(self, ladders, plan, faces) -> None:
        """Draws ladders; `plan` are strings that may be changed (None: none), `faces` their numbers by name."""
        self._ladders, self._plan, self._faces = ladders, plan, faces
        self._held = None
        self._column = min(self._column, max(len(ladders) - 1, 0))
        self.setAccessibleDescription(
            "; ".join(
                f"{ladder.head}: {ladder.title}, "
                + (f"{ladder.open_v[0]:.0f} V coldest" if ladder.strings else "free")
                + ("" if ladder.fits else ", does not fit")
                for ladder in ladders
            )
        )
        self.update()

    def _columns(self):
        width = self.width() / max(len(self._ladders), 1)
        return [QRectF(i * width, 0, width, self.height()) for i in range(len(self._ladders))]

    def _strings_height(self):
        most = max((len(ladder.strings) for ladder in self._ladders), default=1)
        return min(max(most, 2), MOST_STRINGS) * (2 * CELL + 12 + STRING_GAP)

    def _lay_chips(self):
        """Where each string of the plan stands; a ladder that holds no strings of the plan has none."""
        chips, columns = [], self._columns()
        top = self.height() - FOOT - self._strings_height() + 6
        for column, (ladder, area) in enumerate(zip(self._ladders, columns, strict=True)):
            if self._plan is None:
                continue
            y = top
            for at, string in enumerate(self._plan.strings):
                if string.input != ladder.number:
                    continue
                across = max(int((area.width() - 34) // (CELL + 2)), 4)
                rows = min(-(-string.modules // across), 2)
                across = max(across, -(-string.modules // rows))
                size = min(CELL, (area.width() - 34) / across - 2)
                cells = tuple(
                    QRectF(
                        area.x() + 10 + (i % across) * (size + 2), y + 13 + (i // across) * (CELL + 2), size, CELL
                    )
                    for i in range(string.modules)
                )
                rect = QRectF(area.x() + 6, y, area.width() - 22, 13 + rows * (CELL + 2) + 1)
                chips.append(_Chip(at, rect, cells, column, string.face, string.modules))
                y = rect.bottom() + STRING_GAP
        self._chips = tuple(chips)

    @painted
    def paintEvent(self, painter):
        """Paints every ladder, then what is being dragged."""
        look = colours()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._lay_chips()
        for column, (ladder, area) in enumerate(zip(self._ladders, self._columns(), strict=True)):
            self._paint_ladder(painter, look, column, ladder, area)
        for chip in self._chips:
            self._paint_chip(painter, look, chip)
        if self._held is not None:
            at, whole = self._held
            chip = next(chip for chip in self._chips if chip.at == at)
            painter.setPen(QPen(QColor(look.ink), 1.4))
            painter.setBrush(QColor(shade_of(self._faces.get(chip.face, 0))))
            width = CELL * (4 if whole else 1)
            painter.drawRect(QRectF(self._pointer.x() - width / 2, self._pointer.y() - CELL / 2, width, CELL))

    def _paint_ladder(self, painter, look, column, ladder, area):
        chosen = column == self._column
        painter.setFont(font(9, strong=True))
        painter.setPen(QColor(look.ink))
        head = QRectF(area.x() + 7, 3, area.width() - 24, 16)
        painter.drawText(head, Qt.AlignmentFlag.AlignLeft, ladder.head)
        if ladder.strings:
            word, colour = ("fits", look.ok) if ladder.fits else ("does not fit", look.stop)
            painter.setPen(QColor(colour))
            painter.setFont(font(8.4, strong=True))
            painter.drawText(head, Qt.AlignmentFlag.AlignRight, word)
        painter.setPen(QColor(look.quiet))
        painter.setFont(font(8.2))
        under = QRectF(area.x() + 6, 17, area.width() - 16, 15)
        elided = painter.fontMetrics().elidedText(ladder.title, Qt.TextElideMode.ElideRight, int(under.width()))
        painter.drawText(under, Qt.AlignmentFlag.AlignLeft, elided)
        room = QRectF(area.x() + 8, HEAD, area.width() - 24, self.height() - HEAD - FOOT - self._strings_height())
        if chosen:
            painter.setPen(QPen(QColor(look.alternating if self.hasFocus() else look.rule), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(area.adjusted(1, 0, -9, -2), 4, 4)
        self._paint_rungs(painter, look, ladder, room)
        painter.setPen(QColor(look.quiet))
        painter.setFont(font(8))
        foot = QRectF(area.x() + 6, self.height() - FOOT, area.width() - 16, 14)
        summary = f"{ladder.amps} short-circuit" if ladder.amps else "no strings"
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, summary)

    def _paint_rungs(self, painter, look, ladder, room):
        def y(volts):
            return room.bottom() - room.height() * volts / ladder.top_v

        rail_w = 18.0 if room.width() < ROOMY else 24.0
        rail_x = room.x() + room.width() * 0.48
        painter.setPen(QPen(QColor(look.rule), 1))
        painter.setBrush(QColor(look.field))
        painter.drawRect(QRectF(rail_x, room.y(), rail_w, room.height()))
        taken = []
        hard_first = sorted(ladder.marks, key=lambda mark: not mark.hard)
        for mark in hard_first:
            colour = QColor(look.ink if mark.hard else look.quiet)
            style = Qt.PenStyle.SolidLine if mark.hard else Qt.PenStyle.DotLine
            painter.setPen(QPen(colour, 1.6 if mark.hard else 1.0, style))
            painter.drawLine(QPointF(rail_x - 6, y(mark.volts)), QPointF(rail_x + rail_w + 4, y(mark.volts)))
            spot = _free_spot(y(mark.volts), taken, room)
            taken.append(spot)
            painter.setFont(font(7.6 if room.width() > ROOMY else 7.2, strong=mark.hard))
            painter.setPen(colour)
            words = QRectF(room.x() - 5, spot - 7, rail_x - room.x() - 3, 14)
            text = f"{mark.label if room.width() > ROOMY else mark.short} {mark.volts:.0f} V"
            if painter.fontMetrics().horizontalAdvance(text) > words.width():
                text = f"{mark.short} {mark.volts:.0f}"
            painter.drawText(words, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        if not len(ladder.open_v):
            return
        painter.setPen(Qt.PenStyle.NoPen)
        for series, colour, inset in (
            (ladder.open_v, look.direct, 2.0),
            (ladder.working_v, look.light, rail_w * 0.3),
        ):
            shade = QColor(colour if ladder.fits else look.stop)
            shade.setAlpha(110)
            painter.setBrush(shade)
            top, bottom = y(max(series[0], series[-1])), y(min(series[0], series[-1]))
            painter.drawRect(QRectF(rail_x + inset, top, rail_w - 2 * inset, bottom - top))
        taken = []
        for volts, words, colour in (
            (
                ladder.open_v[0],
                f"open {ladder.open_v[0]:.0f} V, {degrees_text(ladder.cells_c[0], 0)}",
                look.direct,
            ),
            (
                ladder.open_v[-1],
                f"open {ladder.open_v[-1]:.0f} V, {degrees_text(ladder.cells_c[-1], 0)}",
                look.direct,
            ),
            (
                ladder.working_v[-1],
                f"best {ladder.working_v[-1]:.0f} V, {degrees_text(ladder.cells_c[-1], 0)}",
                look.light,
            ),
        ):
            painter.setPen(QPen(QColor(colour), 2.4))
            painter.drawLine(QPointF(rail_x + 2, y(volts)), QPointF(rail_x + rail_w - 2, y(volts)))
            spot = _free_spot(y(volts), taken, room, 26)
            taken.append(spot)
            painter.setFont(font(7.6))
            painter.setPen(QColor(look.ink))
            x = rail_x + rail_w + 5
            area = QRectF(x, spot - 13, room.right() + 16 - x, 26)
            first, _, second = words.partition(", ")
            painter.drawText(
                area, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, f"{first}\n{second}"
            )

    def _paint_chip(self, painter, look, chip):
        number = self._faces.get(chip.face, 0)
        held = self._held is not None and self._held[0] == chip.at
        chosen = self.hasFocus() and chip.column == self._column and self._mine().index(chip.at) == self._string
        painter.setPen(QPen(QColor(look.alternating if chosen else look.rule), 1.6 if chosen else 1.0))
        painter.setBrush(QColor(look.card))
        painter.drawRoundedRect(chip.rect, 3, 3)
        painter.setFont(font(7.6))
        painter.setPen(QColor(look.ink))
        label = QRectF(chip.rect.x() + 4, chip.rect.y() + 1, chip.rect.width() - 8, 12)
        text = f"{chip.modules} × face {number + 1}{self._joined_to(chip.at)}"
        painter.drawText(label, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
        shade = QColor(shade_of(number))
        if held:
            shade.setAlpha(110)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(shade)
        for cell in chip.cells:
            painter.drawRect(cell)

    def _joined_to(self, at):
        """What a part of a string over several faces is in series with."""
        return "" if at == self._plan.parts_of(at)[0] else ", in series with the one above"

    def _mine(self):
        """Places in the plan of the strings in the column in hand."""
        return [chip.at for chip in self._chips if chip.column == self._column]

    def chip(self, at: int) -> QRectF:
        """Where a string of the plan stands."""
        self._lay_chips()
        return next(chip.rect for chip in self._chips if chip.at == at)

    def cell(self, at: int, number: int = 0) -> QRectF:
        """Where a module of a string stands."""
        self._lay_chips()
        return next(chip.cells[number] for chip in self._chips if chip.at == at)

    def mousePressEvent(self, event):
        """Takes hold of a module, or of a whole string by its words."""
        self.setFocus()
        for column, area in enumerate(self._columns()):
            if area.contains(event.position()):
                self._turn_to(column)
        for chip in self._chips:
            if chip.rect.contains(event.position()):
                module = any(cell.adjusted(-1, -1, 1, 1).contains(event.position()) for cell in chip.cells)
                self._held, self._pointer = (chip.at, not module), event.position()
                self._string = self._mine().index(chip.at)
                self.update()

    def mouseMoveEvent(self, event):
        """Drags what is held."""
        if self._held is not None:
            self._pointer = event.position()
            self.update()
        else:
            over = any(chip.rect.contains(event.position()) for chip in self._chips)
            self.setCursor(Qt.CursorShape.OpenHandCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event):
        """Drops it on a string or an input."""
        if self._held is None:
            return
        (at, whole), self._held = self._held, None
        self.update()
        target = next((chip for chip in self._chips if chip.rect.contains(event.position())), None)
        column = next((i for i, area in enumerate(self._columns()) if area.contains(event.position())), None)
        if column is None or (target is not None and target.at == at):
            return
        number = self._ladders[column].number
        if whole:
            self.string_to_input.emit(at, number)
        elif target is not None:
            self.module_dropped.emit(at, target.at)
        else:
            self.module_to_input.emit(at, number)

    def _turn_to(self, column):
        if column != self._column:
            self._column, self._string = column, 0
            self.chosen.emit(column)
            self.update()

    def keyPressEvent(self, event):
        """Arrows choose, plus and minus change a string's modules, page keys move it to another input."""
        key, mine = event.key(), self._mine()
        at = mine[min(self._string, len(mine) - 1)] if mine else None
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and self._ladders:
            self._turn_to((self._column + (1 if key == Qt.Key.Key_Right else -1)) % len(self._ladders))
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and mine:
            self._string = (self._string + (1 if key == Qt.Key.Key_Down else -1)) % len(mine)
            self.update()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Equal) and at is not None:
            more = -1 if key == Qt.Key.Key_Minus else 1
            self.length_wanted.emit(at, self._plan.strings[at].modules + more)
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown) and at is not None:
            column = (self._column + (1 if key == Qt.Key.Key_PageDown else -1)) % len(self._ladders)
            self.string_to_input.emit(at, self._ladders[column].number)
        else:
            super().keyPressEvent(event)


def _free_spot(y, taken, room, apart=13):
    """The height nearest to y at which words do not stand over others."""
    spot = min(max(y, room.y() + 6), room.bottom() - 6)
    for away in range(0, 200, 2):
        for candidate in (spot - away, spot + away):
            if room.y() <= candidate <= room.bottom() and all(abs(candidate - other) >= apart for other in taken):
                return candidate
    return spot
