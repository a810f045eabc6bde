"""A face's usable rectangle with its modules laid in, seen square to the roof."""

from dataclasses import replace

from pydantic import ValidationError
from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QGridLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.measures import MEASURES
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.job.field_range import range_of
from calm_relay.job.field_words import lower_first
from calm_relay.job.model import RoofFace
from calm_relay.job.survey import Rectangle
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.site.roof_room import filled, room_of

SIZES = (
    ("width_m", "Along the eaves", "m"),
    ("height_m", "Up the slope", "m"),
    ("margin_m", "Kept free", "m"),
    ("gap_mm", "Gap", "mm"),
)
# What a face that nobody measured has already.
USUAL = {"margin_m", "gap_mm"}
LAYOUTS = (("best", "what holds more"), ("upright", "upright"), ("lying", "lying"))


class _Picture(QWidget):
    """The rectangle drawn to scale: margins, modules that lie there, places still free."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._face, self._room = None, None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Modules in the face's rectangle")

    def sizeHint(self):
        return QSize(300, 160)

    def show_face(self, face, room):
        self._face, self._room = face, room
        summary = (
            "not measured" if room is None else f"{min(face.plan.count, room.count)} of {room.count} places taken"
        )
        self.setAccessibleDescription(f"{face.plan.name}: {summary}")
        self.update()

    @painted
    def paintEvent(self, painter):
        look = colours()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(8.6))
        painter.setPen(QColor(look.quiet))
        if self._room is None:
            text = "This face is not measured: type its width and height, and modules are laid in."
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(QRectF(self.rect()), flags, text)
            return
        place, room, face = self._face.plan.rectangle, self._room, self._face
        area = QRectF(10, 16, self.width() - 74, self.height() - 38)
        scale = min(area.width() / place.width_m, area.height() / place.height_m)
        roof = QRectF(area.x(), area.y(), place.width_m * scale, place.height_m * scale)
        painter.setPen(QPen(QColor(look.ink), 1.4))
        painter.setBrush(QColor(look.field))
        painter.drawRect(roof)
        inner = roof.adjusted(*(place.margin_m * scale * side for side in (1, 1, -1, -1)))
        painter.setPen(QPen(QColor(look.quiet), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(inner)
        gap = place.gap_mm / 1000.0
        left = face.plan.count
        for row in range(room.rows):
            # From the eaves up, as they are laid.
            y = inner.bottom() - ((row + 1) * room.up_m + row * gap) * scale
            for column in range(room.columns):
                x = inner.x() + column * (room.across_m + gap) * scale
                cell = QRectF(x, y, room.across_m * scale, room.up_m * scale)
                painter.setPen(QPen(QColor(look.ink if left > 0 else look.muted), 1))
                painter.setBrush(QColor(look.direct) if left > 0 else Qt.BrushStyle.NoBrush)
                painter.drawRect(cell)
                left -= 1
        painter.setPen(QColor(look.quiet))
        below = QRectF(roof.x(), roof.bottom() + 2, max(roof.width(), 120), 16)
        painter.drawText(below, Qt.AlignmentFlag.AlignHCenter, f"{MEASURES.words(place.width_m)}, eaves")
        beside = QRectF(roof.right() + 6, roof.y(), 62, roof.height())
        painter.drawText(beside, Qt.AlignmentFlag.AlignVCenter, MEASURES.words(place.height_m))


class RoofLayout(QWidget):
    """Measures one face; emits `edited` with the new job and the edit's name."""

    edited = Signal(object, str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job, self._number = None, 0
        self.picture = _Picture()
        self.summary = Label()
        self.summary.setFont(font(9, strong=True))
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.hide()
        self.fields: dict[str, QuantityField] = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(3)
        for column, (name, title, unit) in enumerate(SIZES):
            field = QuantityField(title, unit, replace(range_of(Rectangle, name), optional=name not in USUAL))
            field.setFixedWidth(64)
            field.accepted.connect(lambda value, name=name: self._on_size(name, value))
            field.refused.connect(self._show_text)
            label = Label(title)
            label.setBuddy(field)
            grid.addWidget(label, 0, column)
            grid.addWidget(field, 1, column)
            self.fields[name] = field
        self.layout_choice = ChoiceField("How modules lie", LAYOUTS, width=11)
        self.layout_choice.taken.connect(lambda value: self._on_size("layout", value))
        grid.addWidget(Label("Modules lie"), 0, len(SIZES))
        grid.addWidget(self.layout_choice, 1, len(SIZES))
        self.fill = QPushButton("Fill it")
        self.fill.setObjectName("small")
        self.fill.clicked.connect(self._on_fill)
        grid.addWidget(self.fill, 1, len(SIZES) + 1)
        grid.setColumnStretch(len(SIZES) + 2, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.summary)
        column.addLayout(grid)
        column.addWidget(self.problem)
        column.addWidget(self.picture, 1)

    def hold(self, job) -> None:
        """Takes the job that the next edit starts from; another face is shown once it is planned."""
        self._job = job
        self._number = max(min(self._number, len(job.faces) - 1), 0)

    def show_face(self, job, face, number: int) -> None:
        """Shows a planned face, number `number` of the job."""
        self._job, self._number = job, number
        plan = job.faces[number]
        place = plan.rectangle
        for name, field in self.fields.items():
            field.show_value(None if place is None and name not in USUAL else getattr(place or _START, name))
        self.layout_choice.show_value(place.layout if place else "best")
        self.layout_choice.setEnabled(place is not None)
        room = room_of(face)
        self.fill.setEnabled(room is not None and 0 < room.count != plan.count)
        if room is None:
            self.summary.setText(f"{plan.name}: {plan.count} modules, not measured")
        else:
            way = "upright" if room.upright else "lying"
            self.summary.setText(
                f"{plan.name}: {plan.count} modules; {room.count} fit, {room.rows} × {room.columns} {way}"
            )
        self.picture.show_face(face, room)
        self.problem.hide()

    def _on_size(self, name, value):
        plan = self._job.faces[self._number]
        typed = {key: field.value for key, field in self.fields.items()} | {name: value}
        if plan.rectangle is None and None in (typed["width_m"], typed["height_m"]):
            # The other side is still to be typed.
            return
        try:
            if value is None:
                place = None
            elif plan.rectangle is None:
                place = Rectangle(**typed)
            else:
                place = plan.rectangle.with_(**{name: value})
            job = self._job.with_face(self._number, rectangle=place)
        except ValidationError as error:
            self._show_text(f"{plan.name}: {lower_first(refused_words(error, RoofFace))}.")
        else:
            self.edited.emit(job, f"{plan.name}: usable rectangle")

    def _on_fill(self):
        plan = self._job.faces[self._number]
        room = self.picture._room
        job = filled(self._job, self._number, room)
        self.edited.emit(job, f"{plan.name}: {plan.count} to {room.count} modules")

    def _show_text(self, problem):
        self.problem.setText(problem)
        self.problem.show()


_START = Rectangle(width_m=1, height_m=1)
