"""A house without a street: its year, how long a full store carries it, and how big it should be."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from calm_relay.desk.charts.off_grid_charts import READINGS, AloneMonths, SizingMap
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.tabs import Tabs, page, tabbed
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units

CALLED_OFF = "Called off: choose the tab again to try once more."
TABS = (("year", "The year alone"), ("size", "How big"))


class AlonePanel(QWidget):
    """Shows `planning.alone` of the option in view; a place of the map can become the job's size."""

    edited = Signal(object, str)
    study_wanted = Signal(str, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._view = self._year = self._sizing = self._place = None
        self._asked = False
        self.tabs = Tabs(TABS)
        self.months, self.map = AloneMonths(), SizingMap()
        self.reading = ChoiceField("What the map shows", READINGS, width=20)
        self.reading.show_value("unmet")
        self.told, self.chosen, self.legend = QLabel(), QLabel(), QLabel()
        self.told.setAccessibleName("What the year alone comes to")
        self.chosen.setAccessibleName("What the size chosen would do")
        for label in (self.told, self.chosen, self.legend):
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
        row.addWidget(QLabel("Shown"))
        row.addWidget(self.reading)
        row.addStretch(1)
        row.addWidget(self.use)
        year = page((self.months, 1), (self.told, 0))
        size = page((top, 0), (self.map, 1), (self.legend, 0), (self.chosen, 0))
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addLayout(tabbed(self.tabs, year, size))

    def show_view(self, view) -> None:
        """Asks for the year alone, and for other sizes where they are looked at."""
        self._view, self._year, self._sizing, self._place, self._asked = view, None, None, None, False
        self.map.show_sizing(None, "unmet")
        self._tell_place()
        if self.tabs.key != "year":
            self.study_wanted.emit("alone", _alone)
        self._look()

    def forget(self) -> None:
        """What was asked for will not come; choosing its tab asks for it again."""
        if self._year is None:
            self.months.show_year(None)
            self.told.setText(CALLED_OFF)
        if self._asked and self._sizing is None:
            self._asked = False
            self.chosen.setText(CALLED_OFF)

    def _look(self):
        if self._view is None:
            return
        if self.tabs.key == "year" and self._year is None:
            self.study_wanted.emit("alone", _alone)
        if self.tabs.key == "size" and not self._asked:
            self._asked = True
            self.chosen.setText("Trying packs and modules through the year…")
            self.study_wanted.emit("alone-size", _size)

    def show_study(self, key: str, found) -> None:
        """Draws the year, or what other sizes would do."""
        if key == "alone":
            self._year = found
            self.months.show_year(found)
            self._tell_year(found)
        elif key == "alone-size":
            self._sizing = found
            self._place = None if found is None else found.best or found.here
            self._draw_map()

    def _tell_year(self, found):
        if found is None:
            self.told.setText("This option cannot be built: there is no year to show.")
            return
        parts = [
            f"A full store carries the worst season's mean load for {found.autonomy_h / 24:.1f} days on the back "
            f"of an envelope; without sun and generator it lasts {found.autonomy_mean_h / 24:.1f} days from the "
            f"mean start of the year and {found.autonomy_worst_h / 24:.1f} from the worst."
        ]
        if found.longest_dark_from is not None:
            when = self._view.plan.site.calendar.wall[found.longest_dark_from].astype(object)
            parts.append(f"The longest dark stretch is {found.longest_dark_h:.1f} h, from {when:%-d %b, %H:%M}.")
        thrown = f"{found.curtailed_kwh:,.0f} kWh of the array's are thrown away"
        burnt = f"; the generator burns {found.litres:,.0f} l" if found.generator_kwh > 0 else ""
        parts.append(f"{thrown}{burnt}.")
        self.told.setText(keep_units(" ".join(parts)))

    def _draw_map(self):
        currency = self._view.plan.job.tariff.currency
        self.map.show_sizing(self._sizing, self.reading.currentData(), self._place, currency)
        self._tell_place()

    def _pick(self, i, j):
        self._place = (i, j)
        self._draw_map()

    def _tell_place(self):
        found, place = self._sizing, self._place
        self.legend.setVisible(found is not None)
        another = found is not None and place is not None and place != found.here
        self.use.setEnabled(another and bool(found.allowed[place]))
        if found is None:
            self.chosen.setText("No new battery stands here whose size could be tried." if self._asked else "")
            return
        self.legend.setText(
            f"Bold, parted by the thick line: within the target of {found.target:.1%}. Ring: this option; square: "
            "the cheapest within. In brackets: more array than the boxes' makers allow."
        )
        if place is None:
            self.chosen.setText("Nothing tried stays within the target; choose a place to see what it does.")
            return
        job = self._view.plan.job
        packs = found.counts[place[0]]
        told = (
            f"{packs} pack{'s' * (packs > 1)}, {found.usable_kwh[place[0]]:.1f} kWh usable, and "
            f"{found.array_kw[place[1]]:.1f} kWp: {found.unmet[place]:.1%} unserved, the generator runs "
            f"{found.generator_hours[place]:,.0f} h a year; {job.tariff.currency} {found.cost[place]:,.0f} over "
            f"{job.costs.horizon_years} years with fuel, at today's worth."
        )
        if place == found.best:
            told += " The cheapest of those within the target."
        if place == found.here:
            told += " What this option has."
        if not found.allowed[place]:
            told += " More array than the boxes' makers allow: it wants other boxes."
        self.chosen.setText(keep_units(told))

    def _use(self):
        job = self._sizing.apply(self._view.plan.job, self._place)
        packs = self._sizing.counts[self._place[0]]
        self.edited.emit(job, f"Size: {packs} packs, {self._sizing.array_kw[self._place[1]]:.1f} kWp")


def _alone(plan, option, progress):
    from calm_relay.planning.studies.off_grid import alone_of

    progress(0.0, "A year without a street")
    return alone_of(plan, option)


def _size(plan, option, progress):
    from calm_relay.planning.studies.off_grid import size_alone

    return size_alone(plan, option, progress)
