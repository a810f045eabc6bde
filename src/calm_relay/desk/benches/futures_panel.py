"""How sure the money is: bands of the options over uncertain futures, and which uncertainty matters most."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from calm_relay.desk.charts.futures_chart import FuturesChart
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.limit_rows import LimitRows
from calm_relay.desk.widgets.theme import font
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.studies.futures import YEAR

ROWS = (
    ("light", "Light of the years; empty: 10% measured, 15% made", "percent"),
    ("losses", "Dirt, shade and losses; empty: 5%", "percent"),
    ("demand", "Demand; empty: 5% measured, 10% by bills, 25% assumed", "percent"),
    ("price_rise", "Price rise, a year; empty: 2%", "percent"),
    ("fade", "Fading of the battery; empty: 40%", "percent"),
    ("outlay", "Installed price; empty: 10%", "percent"),
    ("years", "Made years of other days", ("", 0)),
    ("draws", "Futures tried", ("", 0)),
)
# Years of payback beyond which it is none.
NEVER = 100.0
WAIT = "Trying futures… the same ones for every option."
ASK = (
    "Each figure is drawn from its range, the same for all options, and every draw is simulated through the year."
)


class FuturesPanel(QWidget):
    """Shows `planning.studies.futures`.

    Signals
    -------
    edited : object, str
        A changed job and the edit's name.
    wanted
        The futures are to be tried.
    """

    edited = Signal(object, str)
    wanted = Signal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = None
        self.sentence, self.note = Label(ASK), Label()
        self.sentence.setFont(font(10, strong=True))
        self.note.setObjectName("quiet")
        self.note.setFont(font(8.4))
        for label in (self.sentence, self.note):
            label.setWordWrap(True)
        self.chart = FuturesChart()
        self.matters = LimitRows("Which uncertainty matters most", limited=False)
        self.head = Label("What the worth of the first varies with")
        self.head.setFont(font(9, strong=True))
        self.table = FigureTable("Bands of each option")
        self.start = QPushButton("Try the futures")
        self.ranges = QPushButton("Ranges…")
        for button in (self.start, self.ranges):
            button.setObjectName("small")
        self.start.clicked.connect(lambda _=False: self.wanted.emit())
        self.ranges.clicked.connect(lambda _=False: self._ask())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        top = QHBoxLayout()
        top.addWidget(self.sentence, 1)
        top.addWidget(self.ranges)
        top.addWidget(self.start)
        column.addLayout(top)
        above = QHBoxLayout()
        above.setSpacing(14)
        above.addWidget(self.chart, 5)
        right = QVBoxLayout()
        right.addWidget(self.head)
        right.addWidget(self.matters)
        right.addStretch(1)
        above.addLayout(right, 3)
        column.addLayout(above, 3)
        column.addWidget(self.table, 2)
        column.addWidget(self.note)
        self.show_futures(None, "")

    def show_job(self, job) -> None:
        """Keeps the job that edits start from."""
        self._job = job

    def show_waiting(self) -> None:
        """Says that they are being tried."""
        self.sentence.setText(WAIT)

    def show_futures(self, futures, currency: str) -> None:
        """Draws what was found; None before it was asked for."""
        for part in (self.chart, self.matters, self.head, self.table):
            part.setVisible(futures is not None)
        if futures is None:
            self.sentence.setText(ASK)
            self.note.setText("")
            return
        self.sentence.setText(futures.sentence)
        self.chart.show_futures(futures, currency)
        first = futures.options[0]
        order = sorted(zip(first.indices, futures.inputs, strict=True), key=lambda pair: -pair[0])
        self.matters.show_bars([_Bar(item.name, share) for share, item in order])
        rows = []
        for option in futures.options:
            saving, worth = option.band(option.saving), option.band(option.npv)
            sufficient = option.band(option.self_sufficiency)
            rows.append(
                [
                    option.option.title,
                    f"{option.best:.0%}",
                    f"{saving[0]:,.0f} to {saving[2]:,.0f}",
                    _signed(worth),
                    f"{option.pays:.0%}",
                    _years(option.band(option.payback)),
                    f"{option.regret:,.0f}",
                    f"{sufficient[0]:.0%} to {sufficient[2]:.0%}",
                    _hours(option.band(option.backup_h)),
                ]
            )
        heads = (
            "Option",
            "Worth most",
            f"Saves, {currency} a year",
            f"Worth today, {currency}",
            "Pays",
            "Paid back, years",
            f"Misses, {currency}",
            "Self-sufficient",
            "Backup, h",
        )
        self.table.show_rows(heads, rows, f"From one in ten to nine in ten; {currency}", left=1)
        said = ", ".join(
            f"{item.name.lower()} ± {item.off:.0%}{' a year' if item.key == 'price_rise' else ''}"
            for item in futures.inputs
            if item.key != YEAR
        )
        self.ranges.setToolTip(f"Now: {said}")
        self.note.setText(futures.weather)

    def _ask(self):
        dialog = FormDialog("How far figures may be off", self._job.uncertainty, ROWS, self.window())
        if dialog.exec() and dialog.result_model != self._job.uncertainty:
            self.edited.emit(self._job.with_(uncertainty=dialog.result_model), "Ranges of what is uncertain")


def _years(band) -> str:
    """Years of payback from one in ten to nine in ten; a payback that never comes is said so."""
    low, _, high = (f"{years:.0f}" if years < NEVER else "never" for years in band)
    return low if low == high else f"{low} to {high}"


# Hours of backup from which they are told whole.
WHOLE_H = 10.0


def _hours(band) -> str:
    """Hours of backup from one in ten to nine in ten; a stroke where there is none."""
    if band[2] <= 0.0:
        return "\u2013"
    digits = 0 if band[2] >= WHOLE_H else 1
    low, high = f"{band[0]:.{digits}f}", f"{band[2]:.{digits}f}"
    return low if low == high else f"{low} to {high}"


def _signed(band) -> str:
    return f"{band[0]:,.0f} to {band[2]:,.0f}".replace("-", "\u2212")


class _Bar:
    """A share as a bar."""

    def __init__(self, name, share):
        self.name, self.used, self.words, self.severity = name, float(share), f"{share:.0%}", Severity.OK
