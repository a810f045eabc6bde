"""The current transformers' test: three moments, and which placement explains them, drawn phase by phase."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.let_go import let_all_go
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.job.commissioning import CT_MOMENTS, CtMoment
from calm_relay.job.field_range import FieldRange

ASKED = {
    "load only": "Arrays off at their isolators, battery resting, a large load on.",
    "PV only": "Sun on the arrays, loads low, battery resting or full.",
    "charging": "Battery charging from the grid by its menu, arrays off.",
}
ROWS = (("load", "Load, clamp"), ("pv", "Arrays give"), ("charge", "Battery takes"), ("shown", "Grid, as shown"))
SPAN = FieldRange(-1000.0, 1000.0, optional=True)


class CtPicture(QWidget):
    """Each phase from the grid to the home with its transformer, its arrow, and a word of what is wrong."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._places = ()
        self._count = 1
        self.setAccessibleName("Where each current transformer sits")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """A row a phase."""
        return QSize(300, 34 * self._count + 14)

    def show_places(self, places, count: int) -> None:
        """Draws placements; none draws the phases alone."""
        self._places, self._count = tuple(places), count
        self.setAccessibleDescription(" ".join(place.words(n) for n, place in enumerate(self._places)))
        self.updateGeometry()
        self.update()

    @painted
    def paintEvent(self, painter):
        """Paints the phases."""
        look = colours()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(8.6))
        left, right = 54.0, self.width() - 66.0
        for number in range(self._count):
            y = 24.0 + 34.0 * number
            painter.setPen(QPen(QColor(look.alternating), 2.0))
            painter.drawLine(QPointF(left, y), QPointF(right, y))
            painter.setPen(QColor(look.ink))
            name = f"Grid L{number + 1}" if self._count > 1 else "Grid"
            painter.drawText(QRectF(0, y - 9, left - 6, 18), Qt.AlignmentFlag.AlignRight, name)
            painter.drawText(QRectF(right + 6, y - 9, 60, 18), Qt.AlignmentFlag.AlignLeft, "Home")
            if number < len(self._places):
                self._transformer(painter, look, number, left, right)

    def _transformer(self, painter, look, number, left, right):
        place = self._places[number]
        colour = QColor(look.ok if place.is_right else look.stop)
        # It is drawn on the conductor it was found on.
        y = 24.0 + 34.0 * min(place.phase, self._count - 1)
        x = left + (right - left) * (0.25 + 0.16 * (number if place.phase != number else 0))
        painter.setPen(QPen(colour, 2.0, Qt.PenStyle.DashLine if place.kind == "dead" else Qt.PenStyle.SolidLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if place.kind == "not closed":
            painter.drawArc(QRectF(x - 9, y - 9, 18, 18), 60 * 16, 300 * 16)
        else:
            painter.drawEllipse(QPointF(x, y), 9.0, 9.0)
        out = 1.0 if place.reversed else -1.0
        painter.setBrush(colour)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(
            QPolygonF([QPointF(x + out * 26, y), QPointF(x + out * 14, y - 5), QPointF(x + out * 14, y + 5)])
        )
        painter.setPen(colour)
        said = f"CT {number + 1} {'✓' if place.is_right else '✗'} {_short(place)}"
        painter.drawText(QRectF(x + 32, y - 21, right - x - 32, 16), Qt.AlignmentFlag.AlignLeft, said)


def _short(place) -> str:
    """What is wrong, in a word or two."""
    what = {
        "right": "", "wrong phase": "wrong phase", "not closed": f"{place.share:.0%} only", "dead": "shows nothing",
        "misses a load": f"misses {place.share:.1f} kW",
        "elsewhere": "on the arrays' cable" if place.cable == "pv" else "on the loads' cable",
    }[place.kind]  # fmt: skip
    turned = "reversed" if place.reversed else ""
    return ", ".join(part for part in (what, turned) if part) or "towards the grid"


class CtPanel(QWidget):
    """Edits the three moments and shows `planning.commissioning.ct_assistant`.

    Signals
    -------
    edited : object, str
        A changed job and the edit's name.
    live_wanted : str
        What flows now is to be taken for a moment of this kind.
    """

    edited = Signal(object, str)
    live_wanted = Signal(str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = None
        self._count = 0
        self.fields = {}
        self.picture = CtPicture()
        self.verdict, self.problem, self.note = Label(), Label(), Label()
        self.verdict.setAccessibleName("What is to be turned or moved")
        self.problem.setObjectName("refused")
        self.problem.hide()
        self.note.setObjectName("quiet")
        self.note.setFont(font(8.4))
        self.note.setText(
            "All in kW on each phase; plus is out of the grid. Displays are read in the same minute. Work on a live "
            "board is for licensed persons only."
        )
        for label in (self.verdict, self.problem, self.note):
            label.setWordWrap(True)
        self._cards = QHBoxLayout()
        self._cards.setSpacing(18)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(self._cards)
        for part in (self.problem, self.picture, self.verdict, self.note):
            column.addWidget(part)
        column.addStretch(1)

    def show_record(self, job, finding) -> None:
        """Shows the moments of a job and what they say."""
        self._job = job
        count = job.supply.circuit.live
        if count != self._count:
            self._build(count)
        for (kind, name, phase), field in self.fields.items():
            values = getattr(job.commissioning.ct_moment(kind), name)
            field.show_value(values[phase] if phase < len(values) else None)
        self.problem.hide()
        known = bool(job.commissioning.ct_moments)
        self.picture.show_places(() if finding.problem else finding.placements, count)
        look = colours()
        good = finding.is_right
        self.verdict.setText("\n".join(finding.sentences))
        colour = look.ok if good else look.stop if known and not finding.problem else look.ink
        self.verdict.setStyleSheet(f"color: {colour}")

    def _build(self, count):
        self._count, self.fields = count, {}
        let_all_go(self._cards)
        for kind in CT_MOMENTS:
            self._cards.addWidget(self._card(kind, count), 1)

    def _card(self, kind, count):
        card = QWidget()
        grid = QGridLayout(card)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(5)
        grid.setVerticalSpacing(3)
        head, asked = Label(kind[:1].upper() + kind[1:]), Label(ASKED[kind])
        head.setFont(font(10, strong=True))
        asked.setObjectName("quiet")
        asked.setFont(font(8.4))
        asked.setWordWrap(True)
        asked.setMinimumHeight(2 * asked.fontMetrics().height() + 2)
        asked.setAlignment(Qt.AlignmentFlag.AlignTop)
        grid.addWidget(head, 0, 0, 1, count + 1)
        grid.addWidget(asked, 1, 0, 1, count + 1)
        for phase in range(count):
            if count > 1:
                grid.addWidget(Label(f"L{phase + 1}"), 2, phase + 1)
        for row, (name, words) in enumerate(ROWS, 3):
            grid.addWidget(Label(words), row, 0)
            for phase in range(count):
                leg = f", L{phase + 1}" if count > 1 else ""
                field = QuantityField(f"{kind}: {words.lower()}{leg}", "kW", SPAN, 2)
                field.setMinimumWidth(58)
                field.setPlaceholderText("")
                field.accepted.connect(lambda _, kind=kind, name=name: self._on_value(kind, name))
                field.refused.connect(self._show_text)
                grid.addWidget(field, row, phase + 1)
                self.fields[kind, name, phase] = field
        live = QPushButton("Take from live")
        live.setObjectName("small")
        live.setToolTip("Fills what the connected devices say now; the load comes from a clamp meter")
        live.clicked.connect(lambda _=False: self.live_wanted.emit(kind))
        grid.addWidget(live, len(ROWS) + 3, 1, 1, count, Qt.AlignmentFlag.AlignLeft)
        return card

    def _on_value(self, kind, name):
        values = [self.fields[kind, name, phase].value for phase in range(self._count)]
        moment = self._job.commissioning.ct_moment(kind)
        # A row counts once each of its phases is said; what is left out of one that is begun is nothing.
        kept = () if all(value is None for value in values) else tuple(value or 0.0 for value in values)
        changed = CtMoment(**{**moment.model_dump(), name: kept})
        record = self._job.commissioning.with_ct_moment(changed)
        self.edited.emit(self._job.with_(commissioning=record), f"CT test, {kind}")

    def take_moment(self, moment: CtMoment) -> None:
        """Puts a moment that was read live into the job."""
        record = self._job.commissioning.with_ct_moment(moment)
        self.edited.emit(self._job.with_(commissioning=record), f"CT test, {moment.kind}, read live")

    def _show_text(self, problem):
        self.problem.setText(problem)
        self.problem.show()
