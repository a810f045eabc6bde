"""An off-grid house: its year, how long a full battery carries it, and how big it should be."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from calm_relay.desk.charts.off_grid_charts import READINGS, OffGridMonths, SizingMap
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.tabs import Tabs, page, tabbed
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units

CALLED_OFF = "Called off: choose the tab again to try once more."
TABS = (("year", "The year off grid"), ("size", "How big"))


class OffGridPanel(QWidget):
    """Shows `planning.studies.off_grid` of the option in view; a place of the map can become the job's size."""

    edited = Signal(object, str)
    study_wanted = Signal(str, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._view = self._year = self._sizing = self._place = None
        self._asked = False
        self.tabs = Tabs(TABS)
        self.months, self.map = OffGridMonths(), SizingMap()
        self.reading = ChoiceField("What the map shows", READINGS, width=20)
        self.reading.show_value("unmet")
        self.summary, self.chosen, self.legend = Label(), Label(), Label()
        self.summary.setAccessibleName("What the year off grid comes to")
        self.chosen.setAccessibleName("What the size chosen would do")
        for label in (self.summary, self.chosen, self.legend):
            label.setWordWrap(True)
            label.setFont(font(8.8))
        self.legend.setObjectName("quiet")
        self.use = QPushButton("Use this size")
        self.use.setObjectName("small")
        self.use.clicked.connect(lambda _=False: self._use())
        self.reading.taken.connect(lambda _: self._draw_map())
        self.map.picked.connect(self._pick)
        self.tabs.chosen.connect(lambda _: self._look())
        self._lay_out()

    def _lay_out(self):
        top = QWidget()
        row = QHBoxLayout(top)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(Label("Shown"))
        row.addWidget(self.reading)
        row.addStretch(1)
        row.addWidget(self.use)
        year = page((self.months, 1), (self.summary, 0))
        size = page((top, 0), (self.map, 1), (self.legend, 0), (self.chosen, 0))
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addLayout(tabbed(self.tabs, year, size))

    def show_view(self, view) -> None:
        """Asks for the year off grid, and for other sizes where they are looked at."""
        self._view, self._year, self._sizing, self._place, self._asked = view, None, None, None, False
        self.map.show_sizing(None, "unmet")
        self._show_place()
        self.months.waits()
        self.summary.clear()
        if self.tabs.key != "year":
            self.study_wanted.emit("off-grid", _off_grid)
        self._look()

    @property
    def settled(self) -> bool:
        """Whether what the open tab shows has come."""
        return (self._year if self.tabs.key == "year" else self._sizing) is not None

    def let_go(self) -> None:
        """Holds the plan it shows no longer."""
        self._view = self._year = self._sizing = self._place = None
        self._asked = False

    def forget(self) -> None:
        """What was asked for will not come; choosing its tab asks for it again."""
        if self._year is None:
            self.months.show_year(None)
            self.summary.setText(CALLED_OFF)
        if self._asked and self._sizing is None:
            self._asked = False
            self.chosen.setText(CALLED_OFF)

    def _look(self):
        if self._view is None:
            return
        if self.tabs.key == "year" and self._year is None:
            self.study_wanted.emit("off-grid", _off_grid)
        if self.tabs.key == "size" and not self._asked:
            self._asked = True
            self.chosen.setText("Trying packs and modules through the year…")
            self.study_wanted.emit("alone-size", _size)

    def show_study(self, key: str, result) -> None:
        """Draws the year, or what other sizes would do."""
        if key == "off-grid":
            self._year = result
            self.months.show_year(result)
            self._show_year(result)
        elif key == "alone-size":
            self._sizing = result
            self._place = None if result is None else result.best or result.here
            self._draw_map()

    def _show_year(self, result):
        if result is None:
            self.summary.setText("This option cannot be built: there is no year to show.")
            return
        parts = [
            f"A full battery carries the worst season's mean load for {result.autonomy_h / 24:.1f} days on the back "
            f"of an envelope; without sun and generator it lasts {result.autonomy_mean_h / 24:.1f} days from the "
            f"mean start of the year and {result.autonomy_worst_h / 24:.1f} from the worst."
        ]
        if result.longest_unserved_from is not None:
            when = self._view.plan.site.calendar.wall[result.longest_unserved_from].astype(object)
            parts.append(
                f"The longest stretch without supply is {result.longest_unserved_h:.1f} h, from {when:%-d %b, %H:%M}."
            )
        thrown = f"{result.curtailed_kwh:,.0f} kWh of the array's are thrown away"
        burnt = f"; the generator burns {result.litres:,.0f} l" if result.generator_kwh > 0 else ""
        parts.append(f"{thrown}{burnt}.")
        self.summary.setText(keep_units(" ".join(parts)))

    def _draw_map(self):
        currency = self._view.plan.job.tariff.currency
        self.map.show_sizing(self._sizing, self.reading.currentData(), self._place, currency)
        self._show_place()

    def _pick(self, i, j):
        self._place = (i, j)
        self._draw_map()

    def _show_place(self):
        result, place = self._sizing, self._place
        self.legend.setVisible(result is not None)
        another = result is not None and place is not None and place != result.here
        self.use.setEnabled(another and bool(result.allowed[place]))
        if result is None:
            self.chosen.setText("No new battery stands here whose size could be tried." if self._asked else "")
            return
        self.legend.setText(
            f"Bold, parted by the thick line: within the target of {result.target:.1%}. Ring: this option; square: "
            "the cheapest within. In brackets: more array than the makers allow."
        )
        if place is None:
            self.chosen.setText("Nothing tried stays within the target; choose a place to see what it does.")
            return
        job = self._view.plan.job
        packs = result.counts[place[0]]
        summary = (
            f"{packs} pack{'s' * (packs > 1)}, {result.usable_kwh[place[0]]:.1f} kWh usable, and "
            f"{result.array_kw[place[1]]:.1f} kWp: {result.unmet[place]:.1%} unserved, the generator runs "
            f"{result.generator_hours[place]:,.0f} h a year; {job.tariff.currency} {result.cost[place]:,.0f} over "
            f"{job.costs.horizon_years} years with fuel, at today's worth."
        )
        if place == result.best:
            summary += " The cheapest of those within the target."
        if place == result.here:
            summary += " What this option has."
        if not result.allowed[place]:
            summary += " More array than the makers allow: it wants other units."
        self.chosen.setText(keep_units(summary))

    def _use(self):
        job = self._sizing.apply(self._view.plan.job, self._place)
        packs = self._sizing.counts[self._place[0]]
        self.edited.emit(job, f"Size: {packs} packs, {self._sizing.array_kw[self._place[1]]:.1f} kWp")


def _off_grid(plan, option, progress):
    from calm_relay.planning.studies.off_grid import off_grid_year_of

    progress(0.0, "A year off grid")
    return off_grid_year_of(plan, option)


def _size(plan, option, progress):
    from calm_relay.planning.studies.off_grid import size_off_grid

    return size_off_grid(plan, option, progress)
