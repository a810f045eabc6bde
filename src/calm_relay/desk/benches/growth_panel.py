"""What was left room for, as bars, and whether more is better now or later."""

from PySide6.QtWidgets import QVBoxLayout, QWidget

from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.limit_rows import LimitRows
from calm_relay.desk.widgets.theme import font
from calm_relay.planning.common.amounts import amount_text
from calm_relay.planning.common.severity import Severity

HEADS = ("What more", "Cost now", "Cost later", "Saves a year", "Worth now", "Worth later")
WAIT = "Looking for room…"


class GrowthPanel(QWidget):
    """Shows `planning.studies.growth`."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self.bars = LimitRows("Room that was left")
        self.table = FigureTable("Now or later")
        self.head, self.verdict, self.later = Label("How much of each limit is used"), Label(), Label()
        self.later.setWordWrap(True)
        self.later.setAccessibleName("What comes later")
        self.later.hide()
        for label in (self.head, self.verdict):
            label.setFont(font(9, strong=True))
            label.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for part in (self.head, self.bars, self.later, self.verdict):
            column.addWidget(part)
        self.table.setMinimumHeight(96)
        column.addWidget(self.table, 1)

    def show_later(self, loads) -> None:
        """Says what loads that come later do to the system; `planning.studies.later_loads`."""
        self.later.setText("\n".join(load.sentence for load in loads))
        self.later.setVisible(bool(loads))

    def show_growth(self, growth) -> None:
        """Draws what was found; None while it is sought."""
        for part in (self.bars, self.table):
            part.setVisible(growth is not None)
        if growth is None:
            self.verdict.setText(WAIT)
            return
        self.bars.show_bars([_Bar(room) for room in growth.rooms])
        self.bars.setToolTip("\n".join(f"{room.name}: {room.ends}" for room in growth.rooms))
        said = "\n".join(choice.sentence for choice in growth.choices)
        self.verdict.setText(said or "Roof, unit and battery are full: more would be another plan.")
        self.table.setVisible(bool(growth.choices))
        rows = [[choice.what, *_money(choice, growth.currency)] for choice in growth.choices]
        source = (
            f"Later is in {growth.years} years, with a visit, design and permit of its own, at today's prices. Worth: "
            "net present value over the job's years."
        )
        self.table.show_rows(HEADS, rows, source, left=1)
        self.table.resizeRowsToContents()


def _money(choice, currency):
    """What it costs and brings, now and later; of what has no price what it saves alone."""
    costs = choice.cost_now, choice.cost_later
    worth = choice.worth_now, choice.worth_later
    known = (*costs, choice.saving, *worth) if choice.priced else (None, None, choice.saving, None, None)
    return ["no price" if amount is None else amount_text(amount, currency) for amount in known]


class _Bar:
    """A room as a bar: full is a limit that is reached."""

    def __init__(self, room):
        self.name, self.used, self.words = room.name, room.used, room.words
        self.severity = Severity.OK if room.used <= 1.0 + 1e-9 else Severity.STOP
