"""Figures of wires from the firm's own copy of a standard, beside those that ship."""

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialogButtonBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
)

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.theme import font
from calm_relay.job.field_range import FieldRange, range_of
from calm_relay.job.own_figures import AsGrouped, AtTemperature, OwnCapacity, OwnFigures, SizeAmps
from calm_relay.job.wires import Capacity, WireTables
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.wiring.cable import size_words
from calm_relay.planning.wiring.laid import reference_c

ROWS_MOST = 13
NOTE = (
    "What you type stands in place of the figure beside it; an empty field keeps that one. Type from your own copy of "
    "the standard in force, and say which edition it is: it is named wherever a cable's size is given a reason."
)


def _optional(span: FieldRange) -> FieldRange:
    return FieldRange(span.low, span.high, span.low_open, span.high_open, True)


class WireFiguresDialog(AnswerDialog):
    """Edits `Wiring.own_figures` for the tables in force; `figures` are the changed ones after it was accepted.

    `tables` are those that ship. `firm` are the firm's figures or None; `keep` is called with figures to become them
    and says whether they did.
    """

    def __init__(self, own: OwnFigures | None, tables: WireTables, firm: OwnFigures | None, keep, parent=None):
        super().__init__("Figures of wires", parent)
        self.figures = own
        self._tables, self._firm, self._keep = tables, firm, keep
        self._capacities: dict[tuple, dict] = {}
        self._ambient: dict[tuple, dict[float, float]] = {}
        self._grouping: dict[int, float] = {}
        self._ships = {item.way: item for item in tables.capacities}
        self._ways = list(self._ships)
        self.source = QLineEdit()
        self.source.setAccessibleName("Standard and edition")
        self.source.setPlaceholderText("number and year of the standard")
        self.source.setMaxLength(80)
        self.clause = QLineEdit()
        self.clause.setAccessibleName("Table and column")
        self.clause.setPlaceholderText("table and column")
        self.clause.setMaxLength(80)
        self.choices = {
            "laying": ChoiceField("Laid", self._values(0), width=18),
            "insulation": ChoiceField("Insulation bears", self._values(1), width=8),
            "material": ChoiceField("Conductor", self._values(2), width=9),
            "loaded": ChoiceField("Loaded conductors", self._values(3), width=3),
        }
        self.reference = QuantityField(
            "Temperature around it that they hold for", "°C", range_of(OwnCapacity, "reference_c"), 0
        )
        span = _optional(range_of(SizeAmps, "amps"))
        self.amps = {size.name: QuantityField(f"{size.name} carries", "A", span, 1) for size in tables.sizes}
        factor = _optional(range_of(AtTemperature, "factor"))
        at = sorted({point[0] for item in tables.ambient for point in item.points})
        self.ambient = {degrees: QuantityField(f"Factor at {degrees:g} °C", "", factor, 3) for degrees in at}
        factor = _optional(range_of(AsGrouped, "factor"))
        self.grouping = {
            count: QuantityField(f"Factor of {count} side by side", "", factor, 3) for count, _ in tables.grouping
        }
        self._shipped: dict[object, Label] = {}
        self._lay_out()
        self._connect()
        usual = [way for way in self._ways if way[1] == tables.ac_insulation]
        first = next((way for way in usual if way[0] == "in conduit on a wall"), [*usual, *self._ways][0])
        for field, value in zip(self.choices.values(), first, strict=True):
            field.show_value(value)
        self.show_figures(own if own is not None and own.tables == tables.key else None)

    def _values(self, place):
        seen = dict.fromkeys(way[place] for way in self._ways)
        return [(value, f"{value}") for value in seen]

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setSpacing(8)
        head = QGridLayout()
        head.setHorizontalSpacing(8)
        self._put(head, 0, 0, "Standard and edition", self.source, 7)
        for number, (words, name) in enumerate(
            (("Laid", "laying"), ("Insulation", "insulation"), ("Conductor", "material"), ("Loaded", "loaded"))
        ):
            self._put(head, 1, 2 * number, words, self.choices[name])
        head.setColumnStretch(8, 1)
        column.addLayout(head)
        columns = QHBoxLayout()
        columns.setSpacing(14)
        sizes = [(size.name, size_words(size), self.amps[size.name]) for size in self._tables.sizes]
        for part in range(0, len(sizes), ROWS_MOST):
            title = "What it carries, A" if part == 0 else " "
            columns.addLayout(self._figures(title, sizes[part : part + ROWS_MOST], "amps"))
        columns.addStretch(1)
        columns.addWidget(self._line())
        columns.addLayout(
            self._figures(
                "Temperature around it", [(t, f"{t:g} °C", f) for t, f in self.ambient.items()], "ambient"
            )
        )
        columns.addStretch(1)
        columns.addWidget(self._line())
        columns.addLayout(
            self._figures("Side by side", [(n, f"{n}", f) for n, f in self.grouping.items()], "grouping")
        )
        columns.addStretch(1)
        column.addLayout(columns)
        of = QGridLayout()
        of.setHorizontalSpacing(8)
        self._put(of, 0, 0, "These hold for", self.reference)
        self._put(of, 0, 2, "around it; from", self.clause, 3)
        self.reference.setFixedWidth(70)
        of.setColumnStretch(5, 1)
        column.addLayout(of)
        note = Label(f"{self._tables.note} {NOTE}".strip())
        note.setObjectName("quiet")
        note.setWordWrap(True)
        column.addWidget(note)
        column.addWidget(self.problem)
        below = QHBoxLayout()
        self.from_firm, self.to_firm = QPushButton("As the &firm’s"), QPushButton("&Keep as the firm’s")
        self.none = QPushButton("&None of our own")
        for button in (self.from_firm, self.to_firm, self.none):
            button.setObjectName("small")
            button.setAutoDefault(False)
            below.addWidget(button)
        below.addStretch(1)
        buttons = self.answer_buttons(self.take)
        buttons.button(QDialogButtonBox.StandardButton.Ok).setAutoDefault(False)
        below.addWidget(buttons)
        column.addLayout(below)
        self.from_firm.setEnabled(self._firm_fits(self._firm))

    @staticmethod
    def _line():
        line = QFrame()
        line.setFrameShape(QFrame.Shape.VLine)
        line.setObjectName("quiet")
        return line

    @staticmethod
    def _put(grid, row, column, words, field, span=1):
        label = Label(words)
        label.setBuddy(field)
        grid.addWidget(label, row, column)
        grid.addWidget(field, row, column + 1, 1, span)

    def _figures(self, title, rows, kind):
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        head = Label(title)
        head.setFont(font(10, strong=True))
        grid.addWidget(head, 0, 0, 1, 3)
        for place, words in ((1, "ships"), (2, "yours")):
            label = Label(words)
            label.setObjectName("quiet")
            grid.addWidget(
                label, 1, place, Qt.AlignmentFlag.AlignRight if place == 1 else Qt.AlignmentFlag.AlignLeft
            )
        for row, (key, words, field) in enumerate(rows, 2):
            field.setFixedWidth(64)
            field.setPlaceholderText("")
            label = Label(words)
            label.setBuddy(field)
            shipped = self._shipped[kind, key] = Label()
            shipped.setObjectName("quiet")
            shipped.setMinimumWidth(40)
            shipped.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(label, row, 0)
            grid.addWidget(shipped, row, 1)
            grid.addWidget(field, row, 2)
        grid.setRowStretch(len(rows) + 2, 1)
        return grid

    def _connect(self):
        for field in self.choices.values():
            field.taken.connect(lambda _: self._show_way())
        for name, field in self.amps.items():
            field.accepted.connect(lambda amps, name=name: self._take_amps(name, amps))
        for at, field in self.ambient.items():
            field.accepted.connect(lambda factor, at=at: self._put_in(self._points(), at, factor))
        for count, field in self.grouping.items():
            field.accepted.connect(lambda factor, count=count: self._put_in(self._grouping, count, factor))
        self.reference.accepted.connect(lambda at: self._row().update(reference_c=at))
        self.clause.textEdited.connect(lambda text: self._row().update(clause=text.strip()))
        for field in (*self.amps.values(), *self.ambient.values(), *self.grouping.values(), self.reference):
            field.refused.connect(self.show_text)
        self.from_firm.clicked.connect(lambda _=False: self.show_figures(self._firm))
        self.to_firm.clicked.connect(lambda _=False: self._on_keep())
        self.none.clicked.connect(lambda _=False: self.show_figures(None))

    @property
    def way(self) -> tuple:
        """The way of laying in hand: laid, insulation, conductor, loaded conductors."""
        return tuple(field.currentData() for field in self.choices.values())

    def _row(self):
        """What is typed of the way in hand."""
        laying, insulation, *_ = self.way
        ships = self._ships.get(self.way)
        usual = ships.reference_c if ships else reference_c(laying, insulation, self._tables)
        return self._capacities.setdefault(self.way, {"amps": {}, "reference_c": usual, "clause": ""})

    def _points(self):
        laying, insulation, *_ = self.way
        return self._ambient.setdefault((insulation, laying == "buried"), {})

    @staticmethod
    def _put_in(figures, key, value):
        if value is None:
            figures.pop(key, None)
        else:
            figures[key] = value

    def _take_amps(self, name, amps):
        self._put_in(self._row()["amps"], name, amps)

    def show_figures(self, own: OwnFigures | None) -> None:
        """Shows figures in place of what is typed; none where there are none."""
        self.source.setText(own.source if own else "")
        self._capacities = {
            item.way: {
                "amps": {each.size: each.amps for each in item.amps},
                "reference_c": item.reference_c,
                "clause": item.clause,
            }
            for item in (own.capacities if own else ())
        }
        self._ambient = {
            (item.insulation, item.buried): {point.at_c: point.factor for point in item.points}
            for item in (own.ambient if own else ())
        }
        self._grouping = {item.circuits: item.factor for item in (own.grouping if own else ())}
        for count, factor in self._tables.grouping:
            self.grouping[count].show_value(self._grouping.get(count))
            self._shipped["grouping", count].setText(f"{factor:.2f}")
        self._show_way()

    def _show_way(self):
        """Shows the way of laying that was chosen."""
        row, ships = self._row(), self._ships.get(self.way)
        bases = ships.amps if isinstance(ships, Capacity) else (None,) * len(self._tables.sizes)
        for size, base in zip(self._tables.sizes, bases, strict=True):
            self._shipped["amps", size.name].setText("–" if base is None else f"{base:g}")
            self.amps[size.name].show_value(row["amps"].get(size.name))
        self.reference.show_value(row["reference_c"])
        self.clause.setText(row["clause"])
        laying, insulation, *_ = self.way
        buried = laying == "buried"
        found = next((f for f in self._tables.ambient if (f.insulation, f.buried) == (insulation, buried)), None)
        points, own = dict(found.points) if found else {}, self._points()
        for at, field in self.ambient.items():
            self._shipped["ambient", at].setText(f"{points[at]:.3f}" if at in points else "–")
            field.show_value(own.get(at))

    def _typed(self) -> OwnFigures | None:
        capacities = [
            {
                **dict(zip(("laying", "insulation", "material", "loaded"), way, strict=True)),
                **row,
                "amps": [{"size": name, "amps": amps} for name, amps in row["amps"].items()],
            }
            for way, row in self._capacities.items()
            if row["amps"]
        ]
        ambient = [
            {
                "insulation": insulation,
                "buried": buried,
                "points": [{"at_c": at, "factor": factor} for at, factor in points.items()],
            }
            for (insulation, buried), points in self._ambient.items()
            if points
        ]
        grouping = [{"circuits": count, "factor": factor} for count, factor in self._grouping.items()]
        if not (capacities or ambient or grouping):
            return None
        return OwnFigures.model_validate(
            {
                "tables": self._tables.key,
                "source": self.source.text().strip(),
                "capacities": capacities,
                "ambient": ambient,
                "grouping": grouping,
            }
        )

    def _checked(self) -> tuple[bool, OwnFigures | None]:
        try:
            return True, self._typed()
        except ValidationError as error:
            self.show_text(f"{refused_words(error, OwnFigures, {'source': 'Standard and edition'})}.")
            return False, None

    def _firm_fits(self, firm):
        return firm is not None and firm.tables == self._tables.key

    def _on_keep(self):
        right, figures = self._checked()
        if right and figures is None:
            self.show_text("There is nothing of our own to keep: type a figure first.")
        elif right and self._keep(figures):
            self._firm = figures
            self.from_firm.setEnabled(True)
            self.show_text("Kept: new jobs begin with these figures.")

    def take(self) -> None:
        """Closes with the changed figures when they are valid; says what is wrong when not."""
        right, figures = self._checked()
        if right:
            # What was entered for other tables rests until they are in force again.
            elsewhere = self.figures is not None and self.figures.tables != self._tables.key
            self.figures = self.figures if figures is None and elsewhere else figures
            self.accept()
