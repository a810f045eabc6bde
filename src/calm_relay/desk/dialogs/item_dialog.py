"""One item of the own library: typed or read from its datasheet, drawn as it is typed, kept when it is right."""

from datetime import date
from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QDialogButtonBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.charts.item_charts import ItemChart
from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.dialogs.item_form import ItemForm
from calm_relay.desk.dialogs.sheet_view import SheetView
from calm_relay.desk.widgets.beside import Beside
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.exchange.datasheet import Sheet, read_sheet, sheet_of_text
from calm_relay.exchange.errors import InputError
from calm_relay.job.field_words import lower_first
from calm_relay.job.own_item import ITEMS, OwnItem, ValueSource
from calm_relay.planning.equipment.datasheet_reader import Reading, read_fields, value_in_field
from calm_relay.planning.equipment.draft import (
    SINGULAR,
    doubts,
    item_of,
    key_of,
    parts_of,
    refused_item,
    stated_of,
)
from calm_relay.planning.views.item_picture import pictures_of

STOCK = tuple((word, word) for word in ("in stock", "on order", "discontinued"))
ORIGINS = (("datasheet", "a datasheet"), ("measured", "measured"), ("assumed", "assumed"))
MOST_CHARTS = 3
# Names that no picture shows: what is typed is drawn before they are.
UNTYPED_WORDS = {"name": "unnamed", "family": "unnamed", "battery.families": ("unnamed",)}


class ItemDialog(AnswerDialog):
    """Makes or changes an item; `own` holds it after it was kept.

    `others` are items of the kind that are known, `taken` keys that are not free, `families` battery families to choose
    from. An item that is not the user's own becomes a copy with a key of its own.
    """

    kept = Signal(object)

    def __init__(
        self, kind: str, own: OwnItem | None = None, *, others=(), taken=(), families=(), money="", parent=None
    ):
        super().__init__(f"{'New' if own is None else 'Change'} {SINGULAR[kind]}", parent)
        self.kind, self.own = kind, own
        self._others, self._taken = tuple(others), frozenset(taken)
        self._sheet: Sheet | None = None
        self._reading: Reading | None = None
        self._column = 0
        self._read = set()
        self.form = ItemForm(kind, families, money)
        self.sheet_view = SheetView()
        self.charts = [ItemChart() for _ in range(MOST_CHARTS)]
        self.stock = ChoiceField("In stock, on order or discontinued", STOCK, width=10)
        self.article, self.supplier, self.priced = QLineEdit(), QLineEdit(), QLineEdit()
        self.open_sheet, self.paste = QPushButton("Open its &datasheet…"), QPushButton("&Paste its text…")
        self.confirm_all = QPushButton("Confirm &all")
        self.turn = QPushButton("Show the p&icture")
        self.typed_from = ChoiceField("Where what is typed is from", ORIGINS, width=10)
        self.typed_from.show_value("datasheet")
        self.hint = Label()
        self._beside = Beside(self)
        self._lay_out()
        self._connect()
        self.stock.show_value(own.stock if own else "in stock")
        for field, name in ((self.article, "article"), (self.supplier, "supplier"), (self.priced, "priced")):
            field.setText(getattr(own, name) if own else "")
        stated = stated_of(own.item) if own else {}
        self.form.show_stated(stated, parts_of(kind, stated) or ({"pv"} if kind == "inverters" else ()))
        self._on_changed()
        self.resize(1240, 700)

    def _lay_out(self):
        about = QGridLayout()
        for column, (text, field, width) in enumerate(
            (
                ("&Stock", self.stock, 120),
                ("A&rticle number", self.article, 110),
                ("S&upplier", self.supplier, 140),
                ("Price &of", self.priced, 96),
                ("T&yped from", self.typed_from, 120),
            )
        ):
            label = Label(text)
            label.setBuddy(field)
            field.setFixedWidth(width)
            about.addWidget(label, 0, 2 * column)
            about.addWidget(field, 0, 2 * column + 1)
        self.priced.setPlaceholderText(date.today().isoformat())
        for field, name in (
            (self.article, "Article number"),
            (self.supplier, "Supplier"),
            (self.priced, "Price of"),
        ):
            field.setAccessibleName(name)
        self.priced.setToolTip("Day of the price, as 2026-11-26")
        about.setColumnStretch(10, 1)
        top = QHBoxLayout()
        for button in (self.open_sheet, self.paste, self.turn):
            button.setObjectName("small")
            top.addWidget(button)
        top.addStretch(1)
        self.turn.hide()
        self.confirm_all.setObjectName("small")
        pictures = QWidget()
        drawn = QVBoxLayout(pictures)
        drawn.setContentsMargins(0, 0, 0, 0)
        for chart in self.charts:
            drawn.addWidget(chart, 1)
        self.hint.setObjectName("quiet")
        self.hint.setWordWrap(True)
        drawn.addWidget(self.hint)
        drawn.addStretch(0)
        self._left = QStackedWidget()
        self._left.addWidget(pictures)
        self._left.addWidget(self.sheet_view)
        left = QVBoxLayout()
        left.addLayout(top)
        left.addWidget(self._left, 1)
        middle = QHBoxLayout()
        middle.setSpacing(14)
        middle.addLayout(left, 1)
        middle.addWidget(self.form, 1)
        buttons = QHBoxLayout()
        buttons.addWidget(self.confirm_all)
        buttons.addWidget(self.problem, 1)
        answers = self.answer_buttons(self.take)
        answers.button(QDialogButtonBox.StandardButton.Ok).setText("&Keep")
        buttons.addWidget(answers)
        column = QVBoxLayout(self)
        column.addLayout(about)
        column.addLayout(middle, 1)
        column.addLayout(buttons)

    def _connect(self):
        self.form.changed.connect(self._on_changed)
        self.form.refused.connect(self.show_text)
        self.form.focused.connect(self._on_focused)
        self.open_sheet.clicked.connect(lambda _=False: self._ask_sheet())
        self.paste.clicked.connect(lambda _=False: self._ask_text())
        self.confirm_all.clicked.connect(lambda _=False: self.form.confirm())
        self.sheet_view.column_taken.connect(self.take_column)
        self.sheet_view.number_taken.connect(self._on_number)
        self._beside.done.connect(self._on_read)
        self.turn.clicked.connect(lambda _=False: self._turn())

    def _ask_sheet(self):
        name, _ = QFileDialog.getOpenFileName(self, "Open a datasheet", str(Path.home()), "Datasheet (*.pdf)")
        if name:
            self.read_file(Path(name))

    def _ask_text(self):
        text, accepted = QInputDialog.getMultiLineText(self, "Text of a datasheet", "Paste what the sheet says:")
        if accepted and text.strip():
            self.read_text(text)

    def read_file(self, path: Path) -> None:
        """Reads a datasheet beside the window and shows it with what was found."""
        self.open_sheet.setEnabled(False)
        self.show_text("Reading…")

        def read():
            sheet = read_sheet(path)
            return sheet, read_fields(sheet, self.kind)

        self._beside.run(read)

    def read_text(self, text: str) -> None:
        """Takes pasted text for a datasheet."""

        def read():
            sheet = sheet_of_text(text)
            return sheet, read_fields(sheet, self.kind)

        self._beside.run(read)

    def _on_read(self, result):
        self.open_sheet.setEnabled(True)
        self.problem.hide()
        if isinstance(result, InputError):
            self.show_text(f"{result}.")
        elif isinstance(result, Exception):
            self.show_text(f"This sheet could not be read: {result}.")
        else:
            self._sheet, self._reading = result
            self.turn.show()
            self._turn(sheet=True)
            self.sheet_view.show_sheet(self._sheet, self._reading.columns)
            self.take_column(0)

    def _turn(self, *, sheet: bool | None = None):
        """Between the picture and the datasheet, or to the datasheet."""
        shown = self._left.currentWidget() is not self.sheet_view if sheet is None else sheet
        self._left.setCurrentIndex(1 if shown else 0)
        self.turn.setText("Show the p&icture" if shown else "Show the shee&t")

    def take_column(self, column: int) -> None:
        """Fills the form from one of the models beside each other; what a person stated since stays."""
        self._column = column
        found = self._reading.of(column)
        free = {path: one for path, one in found.items() if path not in self.form.stated or path in self._read}
        self._read |= set(free)
        self.form.fill(
            {path: one.value for path, one in free.items()},
            {path: self._where(one.page, one.shown) for path, one in free.items()},
        )
        self._mark()

    def _where(self, page, shown):
        name = self._sheet.path.name if self._sheet.path else "pasted text"
        return f"“{shown}”, {name}" + (f", page {page + 1}" if self._sheet.path else "")

    def _on_focused(self, path):
        self._mark(path)

    def _mark(self, path=""):
        if self._reading is None:
            return
        chosen = self._reading.of(self._column)
        words = {}
        for one in chosen.values():
            words.setdefault(one.page, []).append(one.word)
        at = chosen.get(path)
        self.sheet_view.mark(words, at.page if at else None, at.word if at else None)

    def _on_number(self, text, word):
        path = self.form.focus
        if not path:
            self.show_text("Go into a field first, then click on its number.")
            return
        value = value_in_field(self.kind, path, text, self._reading.mark if self._reading is not None else ".")
        if value is None:
            return
        if path.startswith("pv.tracker."):
            value = (value,)
        self._read.discard(path)
        self.form.put(path, value, self._where(self.sheet_view._number, word.text))

    def _on_changed(self):
        self.problem.hide()
        form = self.form
        said = doubts(self.kind, form.stated, form.parts, self._others)
        form.say(said)
        count = len(form.unconfirmed)
        self.confirm_all.setVisible(count > 0)
        self.confirm_all.setText(f"Confirm &all {count}")
        self._draw()

    def _draw(self):
        pictures, words = (), ""
        if self.form.missing:
            words = f"Still wanted: {', '.join(map(lower_first, self.form.missing))}."
        try:
            pictures = pictures_of(self._made(UNTYPED_WORDS))
        except ValidationError as error:
            words = words or f"{self._refused(error)}."
        for number, chart in enumerate(self.charts):
            chart.setVisible(number < len(pictures))
            if number < len(pictures):
                chart.show_picture(pictures[number])
        self.hint.setText(words)

    def _made(self, instead=None):
        """The item as it stands; `instead` are words for what was not typed yet."""
        stated = {**(instead or {}), **self.form.stated}
        name = str(stated.get("name", ""))
        key = self.own.key if self.own is not None and self.own.key else key_of(name, self._taken)
        return item_of(self.kind, stated, key, self.form.parts)

    def take(self) -> None:
        """Keeps the item where all that was read is confirmed and nothing is missing; says what is wanted when not."""
        form = self.form
        if form.unconfirmed:
            self.show_text(
                f"{len(form.unconfirmed)} values from the datasheet are not confirmed: look at each, or confirm all."
            )
            return
        if form.missing:
            self.show_text(f"Still wanted: {', '.join(map(lower_first, form.missing))}.")
            return
        try:
            own = ITEMS[self.kind](
                item=self._made(),
                stock=self.stock.currentData(),
                article=self.article.text().strip(),
                supplier=self.supplier.text().strip(),
                priced=self.priced.text().strip(),
                sources=self._sources(),
            )
        except ValidationError as error:
            self.show_text(f"{self._refused(error)}.")
        else:
            self.own = own
            self.kept.emit(own)
            self.accept()

    def _refused(self, error):
        return refused_item(error, self.form.titles)

    def _sources(self):
        before = {source.path: source for source in self.own.sources} if self.own else {}
        today = date.today().isoformat()
        found = []
        for path, value in self.form.stated.items():
            old = before.get(path)
            if path in self._read and self._sheet is not None:
                note = self._sheet.path.name if self._sheet.path else "pasted text"
                found.append(ValueSource(path=path, origin="datasheet", dated=today, note=note[:200]))
            elif old is not None and self.own is not None and stated_of(self.own.item).get(path) == value:
                found.append(old)
            else:
                found.append(
                    ValueSource(path=path, origin=self.typed_from.currentData(), dated=today, note="typed")
                )
        return tuple(found)
