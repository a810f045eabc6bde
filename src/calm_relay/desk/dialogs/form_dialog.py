"""A dialog of rows, each a field of a model; what the model refuses is told at once."""

from pydantic import ValidationError
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import (
    QAbstractButton,
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QLineEdit,
    QMessageBox,
    QPlainTextEdit,
    QTableWidget,
    QTimeEdit,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.dialogs.window_rows import WindowRows
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.typed import PressGuard, take_typed
from calm_relay.job.field_range import range_of
from calm_relay.planning.common.refused import refused_words

FIRST_WINDOW = {"start": "03:00", "end": "05:30"}
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


class AnswerDialog(QDialog):
    """A dialog with OK and Cancel in which Return takes a field's number and does not close.

    `problem` says what is wrong until something is changed; the dialog stays open until it is right. By Escape it asks
    before what was changed in it goes, where it `holds_work`; Cancel goes at once.
    """

    holds_work = True

    def __init__(self, title: str, parent=None):
        super().__init__(parent)
        self.setWindowTitle(title)
        # A dialog is opened again and again in a day: what it is made of goes with its answer.
        self.finished.connect(self.deleteLater)
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self._refused_by: QLineEdit | None = None
        self._heard: set[QWidget] = set()
        self._guard: PressGuard | None = None
        self._begun: list[object] | None = None

    def answer_buttons(self, accept) -> QDialogButtonBox:
        """OK, which calls `accept` unless what is being typed is refused, and Cancel."""
        made = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        for button in made.buttons():
            # It is made before the look that leaves pictures out reaches it.
            button.setIcon(QIcon())
        self._guard = PressGuard(made.button(QDialogButtonBox.StandardButton.Ok))
        self._guard.acts.connect(accept)
        made.rejected.connect(self.reject)
        return made

    def put_together(self, fields, note: str) -> None:
        """Lays fields, a quiet note, what is wrong and the buttons below each other; OK calls `take`."""
        words = Label(note)
        words.setObjectName("quiet")
        words.setWordWrap(True)
        column = QVBoxLayout(self)
        column.addLayout(fields)
        column.addWidget(words)
        column.addWidget(self.problem)
        column.addWidget(self.answer_buttons(self.take))

    def show_text(self, problem: str) -> None:
        """Says what is wrong."""
        self.problem.setText(problem)
        # The fields stay where they are when it goes.
        place = self.problem.sizePolicy()
        place.setRetainSizeWhenHidden(True)
        self.problem.setSizePolicy(place)
        self.problem.show()
        by = self.sender()
        self._refused_by = by if isinstance(by, QLineEdit) else None
        if self._guard is not None:
            self._guard.refuse()

    def showEvent(self, event):
        """Its buttons take what is being typed first, also when they are pressed by their letter."""
        if self._begun is None:
            self._begun = _put_in(self)
            self._hear()
        super().showEvent(event)

    def _hear(self):
        """Hears its buttons and fields, those too that a button has put there since."""
        for part in self.findChildren(QWidget):
            if part in self._heard:
                continue
            self._heard.add(part)
            if isinstance(part, QAbstractButton):
                part.pressed.connect(self._take_typed)
                part.clicked.connect(self._on_changed if isinstance(part, QCheckBox) else self._hear)
            elif isinstance(part, QTimeEdit):
                part.timeChanged.connect(self._on_changed)
            elif isinstance(part, QLineEdit):
                part.textEdited.connect(self._on_changed)
            elif isinstance(part, QComboBox):
                part.activated.connect(self._on_changed)

    def _on_changed(self):
        # A field that stands at its old number again is told about until it is typed into itself.
        if self._refused_by in (None, self.sender()):
            self.problem.hide()

    def _take_typed(self):
        take_typed(self.focusWidget())

    def closeEvent(self, event):
        """The window's own button asks as Escape does."""
        if self._may_leave():
            super().closeEvent(event)
        else:
            event.ignore()

    def _may_leave(self):
        if not (self.holds_work and self.isVisible() and self._begun != _put_in(self)):
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self,
            self.windowTitle(),
            "Something was changed here. Leave without it?",
            buttons.Discard | buttons.Cancel,
            buttons.Cancel,
        )
        return answer == buttons.Discard

    def keyPressEvent(self, event):
        """Return presses the button that has the focus, and none else; Escape asks about what was changed."""
        if event.key() == Qt.Key.Key_Escape and not self._may_leave():
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            focus = self.focusWidget()
            if isinstance(focus, QAbstractButton):
                focus.click()
            return
        super().keyPressEvent(event)


def _put_in(dialog: QWidget) -> list[object]:
    """Everything that stands in a dialog's fields, in their order."""
    found: list[object] = []
    for part in dialog.findChildren(QWidget):
        if isinstance(part, QLineEdit):
            found.append(part.text())
        elif isinstance(part, QPlainTextEdit):
            found.append(part.toPlainText())
        elif isinstance(part, QComboBox):
            found.append(part.currentText())
        elif isinstance(part, QCheckBox):
            found.append(part.isChecked())
        elif isinstance(part, QTableWidget):
            cells = [
                part.item(row, column) for row in range(part.rowCount()) for column in range(part.columnCount())
            ]
            found += [cell.text() if cell is not None else "" for cell in cells]
    return found


class TicksField(QWidget):
    """Units to tick in rows, one for each (value, words)."""

    def __init__(self, name, entries, across: int, parent=None):
        super().__init__(parent)
        self.setAccessibleName(name)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(2)
        self.converters = {}
        for number, (value, words) in enumerate(entries):
            converter = QCheckBox(words)
            converter.setAccessibleName(f"{name}: {words}")
            grid.addWidget(converter, *divmod(number, across))
            self.converters[value] = converter

    def show_value(self, values) -> None:
        """Ticks the values."""
        for value, converter in self.converters.items():
            converter.setChecked(value in values)

    @property
    def value(self):
        """The values ticked, in their order."""
        return tuple(value for value, converter in self.converters.items() if converter.isChecked())


class CopField(QLineEdit):
    """Coefficients of performance as "-7: 2.3, 7: 3.5", outdoor temperature first."""

    refused = Signal(str)

    def __init__(self, name, parent=None):
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setToolTip("Outdoor °C: heat over electricity, parted by commas, such as -7: 2.3, 2: 2.9, 7: 3.5")
        # The five points of a usual datasheet are seen at once.
        self.setMinimumWidth(
            self.fontMetrics().horizontalAdvance("-15: 1.9, -7: 2.3, 2: 2.9, 7: 3.5, 15: 4.3") + 18
        )

    def show_value(self, points) -> None:
        """Writes the points."""
        self.setText(", ".join(f"{point.outdoor_c:g}: {point.cop:g}" for point in points))
        self.setCursorPosition(0)

    @property
    def value(self):
        """The points typed, as the model takes them; what is no number is left for it to refuse."""
        pairs = [part.partition(":") for part in self.text().replace("−", "-").split(",") if part.strip()]
        return tuple({"outdoor_c": warmth.strip(), "cop": cop.strip()} for warmth, _, cop in pairs)


class SharesField(QLineEdit):
    """Three shares as "34 / 33 / 33", in per cent."""

    refused = Signal(str)

    def __init__(self, name, parent=None):
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setToolTip("Three per cents parted by strokes, such as 50 / 30 / 20")

    def show_value(self, shares) -> None:
        """Writes the shares."""
        self.setText(" / ".join(f"{share * 100:g}" for share in shares))

    @property
    def value(self):
        """The shares typed; what is no number is left for the model to refuse."""
        parts = [part.strip().rstrip("%").replace(",", ".") for part in self.text().split("/")]
        try:
            return tuple(round(float(part) / 100.0, 9) for part in parts)
        except ValueError:
            return tuple(parts)


class _Words(QLineEdit):
    """Plain text as a field."""

    def __init__(self, name, parent=None):
        super().__init__(parent)
        self.setAccessibleName(name)

    def show_value(self, value):
        self.setText("" if value is None else str(value))

    @property
    def value(self):
        return self.text().strip() or None


class _Tick(QCheckBox):
    """Yes or no as a field."""

    def show_value(self, value):
        self.setChecked(bool(value))

    @property
    def value(self):
        return self.isChecked()


class _Choice(ChoiceField):
    """One of several as a field."""

    @property
    def value(self):
        return self.currentData()


class _Windows(WindowRows):
    """Daily windows as a field."""

    def __init__(self, name, show_text):
        super().__init__(name, (), FIRST_WINDOW, show_text, 4)
        self.setAccessibleName(name)

    def show_value(self, value):
        super().show_value([window.model_dump() for window in value])


def _with_money(label, money):
    """A label with its currency, before what it says of an empty field."""
    head, mark, rest = label.partition(";")
    return f"{head}, {money}{mark}{rest}"


class FormDialog(AnswerDialog):
    """Edits one model by rows of (field, label, kind).

    A kind is "text", "days", "months", "tick", "cop", "shares", "windows", "percent", choices or a quantity. A quantity
    is (unit, decimals) and has the range that the model states, choices a list of (value, words). The currency `money`
    stands in the labels of those whose unit is "money".
    """

    def __init__(self, title: str, model, rows, parent=None, *, money: str = ""):
        super().__init__(title, parent)
        self._model = model
        self.result_model = None
        self.fields = {}
        self._percent = set()
        self._labels = {}
        grid = QGridLayout()
        for number, (name, stated, kind) in enumerate(rows):
            label = (
                _with_money(stated, money) if money and isinstance(kind, tuple) and kind[0] == "money" else stated
            )
            field = self._field(name, label, kind)
            self._labels[name] = label.replace("&", "")
            words = Label(label)
            words.setBuddy(field)
            grid.addWidget(words, number, 0)
            grid.addWidget(field, number, 1)
            value = getattr(model, name)
            # Of a share people type per cent.
            field.show_value(value * 100.0 if kind == "percent" and value is not None else value)
            self.fields[name] = field
            if kind == "percent":
                self._percent.add(name)
        buttons = self.answer_buttons(self.take)
        column = QVBoxLayout(self)
        column.addLayout(grid)
        column.addWidget(self.problem)
        column.addWidget(buttons)

    def _field(self, name, label, kind):
        if kind == "text":
            return _Words(label)
        if kind == "days":
            return TicksField(label, [(day, day.capitalize()) for day in DAYS], 7)
        if kind == "months":
            return TicksField(label, list(enumerate(MONTHS, 1)), 6)
        if kind == "cop":
            return CopField(label)
        if kind == "windows":
            return _Windows(label, self.show_text)
        if kind == "shares":
            return SharesField(label)
        if kind == "tick":
            converter = _Tick()
            converter.setAccessibleName(label)
            return converter
        if isinstance(kind, list):
            longest = max((len(words) for _, words in kind), default=0)
            return _Choice(label, kind, width=min(max(longest, 16), 40))
        unit, decimals = ("%", 2) if kind == "percent" else kind
        unit = "" if unit == "money" else unit
        span = range_of(type(self._model), name)
        field = QuantityField(label, unit, span.times(100.0) if kind == "percent" else span, decimals)
        field.refused.connect(self.show_text)
        return field

    def _values(self):
        values = {name: field.value for name, field in self.fields.items()}
        # Text that may be empty is empty, not missing.
        known = type(self._model).model_fields
        values |= {name: "" for name, value in values.items() if value is None and known[name].default == ""}
        shares = {name: values[name] for name in self._percent if values[name] is not None}
        return values | {name: round(value / 100.0, 9) for name, value in shares.items()}

    def take(self) -> None:
        """Closes with the changed model when it is valid; says what is wrong when not."""
        try:
            self.result_model = self._model.with_(**self._values())
        except ValidationError as error:
            self.show_text(f"{refused_words(error, type(self._model), self._labels)}.")
        else:
            self.accept()
