"""An item of equipment in rows: what is typed, what follows from it in grey, and where each value is from."""

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.widgets.item_fields import INPUTS_WORDS, item_field
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.job.field_words import words_of
from calm_relay.planning.equipment.draft import INPUTS, SELDOM, derived, field_at, missing, paths_of, usual_of

PARTS = (("pv", "PV inputs"), ("battery", "Battery port"), ("backup", "Backup"))
# Paths whose figures are in the money of the job that is open.
PRICES = ("price", "stack_price")
SELDOM_STATED = "more"
HEADS = {
    "": "As the datasheet states it",
    "pv": "PV inputs",
    "battery": "Battery port",
    "backup": "Backup",
    SELDOM_STATED: "Seldom stated",
}


def _section_of(path):
    if "." in path:
        return path.partition(".")[0]
    return SELDOM_STATED if path in SELDOM else ""


class _Row:
    """One field with its label, and what stands behind it: how it follows, or from where it is, to be confirmed."""

    def __init__(self, form, path, title, field):
        self.label = Label(title)
        self.label.setWordWrap(True)
        self.label.setBuddy(field)
        self.field = field
        self.how = Label()
        self.how.setObjectName("quiet")
        self.how.setFont(font(8.2))
        self.how.setWordWrap(True)
        self.confirm = QPushButton("✓")
        self.confirm.setObjectName("small")
        self.confirm.setFixedWidth(30)
        self.confirm.setToolTip("It is as the datasheet has it")
        self.confirm.setAccessibleName(f"Confirm {title}")
        self.confirm.clicked.connect(lambda _=False: form.confirm(path))
        self.confirm.hide()


class ItemForm(QWidget):
    """Edits what is stated of an item of a kind; see `planning.equipment.draft`.

    Signals
    -------
    changed
        What is stated is another.
    refused : str
        What was typed, and what would be right.
    focused : str
        Path of the field that a person went into.
    """

    changed = Signal()
    refused = Signal(str)
    focused = Signal(str)

    def __init__(self, kind: str, families=(), money: str = "", parent=None):
        super().__init__(parent)
        self.kind = kind
        self.stated: dict = {}
        self.parts: frozenset[str] = frozenset()
        # Paths filled by the reader and not yet confirmed, with the words that say from where.
        self.unconfirmed: dict[str, str] = {}
        self.fields: dict[str, QWidget] = {}
        self._rows: dict[str, _Row] = {}
        self._families, self._money = families, money
        self.switches: dict[str, QCheckBox] = {}
        self.focus = ""
        self._sections: dict[str, QWidget] = {}
        self._lay_out()

    def _lay_out(self):
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(4)
        if self.kind == "inverters":
            switches = QHBoxLayout()
            switches.addWidget(Label("It has"))
            for part, words in PARTS:
                switch = self.switches[part] = QCheckBox(words)
                switch.clicked.connect(lambda on, part=part: self._on_part(part, on))
                switches.addWidget(switch)
            switches.addStretch(1)
            column.addLayout(switches)
        everything = frozenset(part for part, _ in PARTS) if self.kind == "inverters" else frozenset()
        for section in HEADS:
            paths = [path for path in paths_of(self.kind, everything) if _section_of(path) == section]
            if paths:
                column.addWidget(self._section(section, paths))
        column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inside)
        self.scroll = scroll
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scroll)

    def _section(self, section, paths):
        made = self._sections[section] = QWidget()
        grid = QGridLayout(made)
        grid.setContentsMargins(0, 2, 0, 4)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        head = Label(HEADS[section])
        head.setFont(font(10, strong=True))
        grid.addWidget(head, 0, 0, 1, 4)
        for number, path in enumerate(paths, 1):
            title = INPUTS_WORDS.title if path == INPUTS else words_of(*field_at(self.kind, path)).title
            if path in PRICES and self._money:
                title = f"{title}, {self._money}"
            field = item_field(self.kind, path, self._families)
            field.setFixedWidth(160)
            field.installEventFilter(self)
            field.taken.connect(lambda value, path=path: self._on_taken(path, value))
            if hasattr(field, "refused"):
                field.refused.connect(self._on_refused)
            row = self._rows[path] = _Row(self, path, title, field)
            self.fields[path] = field
            row.label.setFixedWidth(170)
            grid.addWidget(row.label, number, 0)
            grid.addWidget(field, number, 1)
            grid.addWidget(row.confirm, number, 2)
            grid.addWidget(row.how, number, 3)
        grid.setColumnStretch(3, 1)
        return made

    def eventFilter(self, watched, event):
        """Tells which field a person went into."""
        if event.type() == QEvent.Type.FocusIn:
            for path, field in self.fields.items():
                if field is watched:
                    self.focus = path
                    self.focused.emit(path)
        return super().eventFilter(watched, event)

    def show_stated(self, stated, parts=frozenset()) -> None:
        """Shows what is stated of an item; the parts an inverter has."""
        self.stated = {path: value for path, value in stated.items() if value is not None}
        self.parts = frozenset(parts)
        self.unconfirmed = {}
        self.refresh()

    def fill(self, found, where) -> None:
        """Takes candidates: values by path, and the words that say where each is from; all are to be confirmed."""
        known = {path: value for path, value in found.items() if path in self._rows}
        self.stated |= known
        self.unconfirmed |= {path: where[path] for path in known}
        self.parts |= {path.partition(".")[0] for path in known if "." in path}
        self.refresh()
        self.changed.emit()

    def confirm(self, path: str | None = None) -> None:
        """Says that a value filled in, or every one, is as the datasheet has it."""
        for one in [path] if path else list(self.unconfirmed):
            self.unconfirmed.pop(one, None)
        self.refresh()
        self.changed.emit()

    def put(self, path: str, value, where: str = "") -> None:
        """States a value as if typed; one from the page says where it is from."""
        self.stated[path] = value
        if where:
            self.unconfirmed[path] = where
        self.refresh()
        self.changed.emit()

    @property
    def missing(self) -> tuple[str, ...]:
        """Titles of what a datasheet usually states and is not stated."""
        return tuple(self.title(path) for path in missing(self.kind, self.stated, self.parts))

    @property
    def titles(self) -> dict[str, str]:
        """What the row of each path is called."""
        return {path: self.title(path) for path in self._rows}

    def title(self, path: str) -> str:
        """What the row of a path is called."""
        return self._rows[path].label.text()

    def refresh(self) -> None:
        """Shows values, what follows from them, and what is to be confirmed."""
        follows = derived(self.kind, self.stated, self.parts)
        wanted = set(missing(self.kind, self.stated, self.parts))
        look = colours()
        for part, switch in self.switches.items():
            switch.setChecked(part in self.parts)
            self._sections[part].setVisible(part in self.parts)
        for path, row in self._rows.items():
            row.field.show_stated(self.stated.get(path))
            found = follows.get(path)
            usual = usual_of(self.kind, path) if found is None and path not in self.stated else None
            row.field.show_derived(found.value if found else usual)
            where = self.unconfirmed.get(path)
            row.confirm.setVisible(where is not None)
            follows_how = f"follows: {found.how}" if found else "unless stated" if usual is not None else ""
            row.how.setText(where or ("wanted" if path in wanted else follows_how))
            row.how.setStyleSheet(f"color: {look.check};" if where or path in wanted else "")

    def say(self, doubts) -> None:
        """Says what looks wrong behind the fields it concerns."""
        for doubt in doubts:
            row = self._rows.get(doubt.path)
            if row is not None and doubt.path not in self.unconfirmed:
                row.how.setText(f"look again: {doubt.sentence}")
                row.how.setStyleSheet(f"color: {colours().check};")

    def _on_part(self, part, on):
        self.parts = self.parts | {part} if on else self.parts - {part}
        self.refresh()
        self.changed.emit()

    def _on_taken(self, path, value):
        if value is None:
            self.stated.pop(path, None)
        else:
            self.stated[path] = value
        self.unconfirmed.pop(path, None)
        self.refresh()
        self.changed.emit()

    def _on_refused(self, problem):
        self.refused.emit(problem)
