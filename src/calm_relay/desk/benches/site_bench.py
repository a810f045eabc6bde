"""The bench Sky: where the job stands, which weather year it rests on, and how sure that is."""

from functools import partial
from zoneinfo import available_timezones

from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.charts.season_charts import SiteChart
from calm_relay.desk.dialogs.months_dialog import MonthsDialog
from calm_relay.desk.dialogs.move_dialog import MoveDialog
from calm_relay.desk.dialogs.snow_dialog import SnowDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.field_form import Field, FieldForm, field_of
from calm_relay.desk.widgets.figures_grid import FiguresGrid
from calm_relay.desk.widgets.label import Label, RichLabel, rich
from calm_relay.desk.widgets.measures import MEASURES
from calm_relay.desk.widgets.place_field import PlaceField
from calm_relay.desk.widgets.theme import font
from calm_relay.exchange.places import find_places
from calm_relay.job.field_range import range_of
from calm_relay.job.model import ClimatePreset, MonthlyWeather, Site, WeatherFile

FILE, TYPED = "file", "monthly"
BESIDE = {"Place", "Weather"}


def _of_weather(label, unit, model, name, decimals, empty=""):
    """A number of the weather's source; nothing to type where that source has none."""

    def get(job):
        return getattr(job.site.weather, name, None)

    def put(job, value):
        kept = round(value) if decimals == 0 and value is not None else value
        return job.with_(site=job.site.with_(weather=job.site.weather.with_(**{name: kept})))

    return Field(
        label,
        unit,
        range_of(model, name),
        get,
        put,
        decimals,
        stands=lambda job: hasattr(job.site.weather, name),
        empty=empty,
    )


def _result(text, plan, option, progress):
    return text, find_places(text)


class SiteBench(Bench):
    """Shows `planning.views.seasons`; its inputs are a place, a weather file, typed months or a preset."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = self._offered = None
        self.place = PlaceField()
        self.place.sought.connect(lambda text: self.study_wanted.emit("places", partial(_result, text)))
        self.place.taken.connect(self._on_place)
        self.source = ChoiceField("Weather year", width=22)
        self.source.taken.connect(self._on_source)
        self.zone = ChoiceField("Time zone", [(zone, zone) for zone in sorted(available_timezones())], width=22)
        self.zone.taken.connect(self._on_zone)
        self.months = QPushButton("Twelve months…")
        self.months.setObjectName("small")
        self.months.clicked.connect(lambda _=False: self.open_months())
        self.snow = QPushButton("Snow…")
        self.snow.setObjectName("small")
        self.snow.clicked.connect(lambda _=False: self.open_snow())
        self.inputs = FieldForm(
            (
                field_of("Latitude", "°", "site", Site, "latitude", 3),
                field_of("Longitude", "°", "site", Site, "longitude", 3),
                field_of("Elevation", "m", "site", Site, "elevation_m", 0),
                field_of("Coldest cell", "°C", "site", Site, "coldest_c", 1),
                field_of("Hottest air", "°C", "site", Site, "hottest_c", 1),
                field_of("Calendar year", "", "site", Site, "year", 0),
                _of_weather("Made year, no.", "", ClimatePreset, "seed", 0),
                _of_weather("Stamps later by", "h", WeatherFile, "shift_h", 2),
                _of_weather("Year of the file, no.", "", WeatherFile, "year", 0, "most usual"),
            ),
            across=3,
        )
        self.inputs.edited.connect(self.edited)
        self.sure = RichLabel()
        self.sure.setWordWrap(True)
        self.sure.setFont(font(9))
        self.figures = FiguresGrid(narrow=True)
        self.chart = SiteChart()
        self._lay_out()

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 8, 14, 6)
        column.setSpacing(7)
        top = QHBoxLayout()
        top.setSpacing(18)
        left = QVBoxLayout()
        left.setSpacing(6)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        rows = (("&Place", self.place), ("&Weather", self.source), ("&Zone", self.zone))
        for row, (text, field) in enumerate(rows):
            label = Label(text)
            label.setBuddy(self.place.line if field is self.place else field)
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
        grid.addWidget(self.months, 1, 2)
        grid.addWidget(self.snow, 2, 2)
        grid.setColumnStretch(1, 1)
        left.addLayout(grid)
        left.addWidget(self.inputs)
        left.addWidget(self.sure)
        left.addStretch(1)
        top.addLayout(left, 3)
        right = QVBoxLayout()
        right.addWidget(self.figures)
        right.addStretch(1)
        top.addLayout(right, 2)
        column.addLayout(top)
        column.addWidget(self.chart, 1)

    def show_job(self, job) -> None:
        """Shows place and weather year."""
        self._job = job
        self._offer_climates(job.site)
        weather = job.site.weather
        self.source.setItemText(0, "a weather file…")
        if isinstance(weather, WeatherFile):
            shown = FILE
            self.source.setItemText(0, f"file {weather.path.rsplit('/', 1)[-1]}")
        else:
            shown = TYPED if isinstance(weather, MonthlyWeather) else weather.climate
        self.source.show_value(shown)
        self.months.setEnabled(shown == TYPED)
        self.snow.setEnabled(bool(job.faces))
        snow = job.site.snow
        self.snow.setToolTip(
            f"Fresh snow: {snow.summary(MEASURES.in_feet)}" if snow else "Fresh snow by month: not stated"
        )
        self.zone.show_value(job.site.time_zone)
        self.place.show_place(job.site.place)
        self.inputs.show_job(job)

    def focus_question(self) -> None:
        """Gives the focus to the place."""
        self.place.line.setFocus()

    def _offer_climates(self, site):
        """Offers the assumed climates, those that stand best for the place first."""
        from calm_relay.planning.site.climates import nearest_climates

        place = site.latitude, site.longitude, site.elevation_m
        if place == self._offered:
            return
        self._offered = place
        entries = [(FILE, "a weather file…"), (TYPED, "twelve months typed in")]
        entries += [
            (match.climate.key, f"assumed: {match.climate.name}, {match.distance_km:,.0f} km")
            for match in nearest_climates(site, self.library)
        ]
        kinds = [climate for climate in self.library.climates.values() if climate.longitude is None]
        entries += [(climate.key, f"assumed: {climate.name}") for climate in kinds]
        self.source.offer(entries)

    def show_view(self, view) -> None:
        """Draws the year and says how sure it is."""
        from calm_relay.planning.views.figures import figures_of
        from calm_relay.planning.views.seasons import how_sure

        # While a plan is made nothing is looked up.
        self.place.seek_again()
        if not self.is_new(view):
            return
        self._view = view
        self.sure.setText(rich("<b>How sure:</b> {}", how_sure(view.plan, self.library)))
        # Place and weather stand in the fields beside them.
        summary = [item for item in figures_of(view.plan, view.option, "Site") if item.label not in BESIDE]
        self.figures.show_figures(summary)
        self.chart.show_plan(view.plan)

    def show_study(self, key: str, result) -> None:
        """Lists the places found."""
        if key == "places":
            self.place.offer(*result)

    def _on_place(self, place):
        """Asks about what belonged to the old place where anything did."""
        from calm_relay.planning.site.move import NewPlace, belongings, moved
        from calm_relay.planning.site.new_job import placed

        if "place" in self._job.wanted:
            where = place.country, place.latitude, place.longitude, place.time_zone
            job = placed(self._job, place.label, *where, self.library)
            self.edited.emit(job, f"Place: {place.name}")
            return
        new = NewPlace(place.label, place.name, place.country, place.latitude, place.longitude, place.time_zone)
        found = belongings(self._job, new, self.library)
        if not found:
            self.edited.emit(moved(self._job, new), f"Place: {place.name}")
            return
        dialog = self.dialog = MoveDialog(self._job, new, found, self.window())
        dialog.accepted.connect(lambda: self.edited.emit(dialog.job, f"Place: {place.name}"))
        dialog.rejected.connect(lambda: self.show_job(self._job))
        dialog.open()

    def _on_zone(self, zone):
        self.edited.emit(self._job.with_(site=self._job.site.with_(time_zone=zone)), f"Time zone: {zone}")

    def _on_source(self, source):
        site = self._job.site
        if source == FILE:
            name, _ = QFileDialog.getOpenFileName(
                self, "A weather file", "", "EPW, TMY3, tables of hours (*.epw *.csv *.tm3)"
            )
            if not name:
                self.show_job(self._job)
                return
            weather, label = WeatherFile(path=name), "Weather from a file"
        elif source == TYPED:
            weather, label = self._typed_months(), "Twelve months typed in"
        else:
            made = site.weather if isinstance(site.weather, ClimatePreset | MonthlyWeather) else None
            weather = ClimatePreset(climate=source, seed=made.seed if made else 1)
            label = f"Assumed climate: {self.library.climates[source].name}"
        self.edited.emit(self._job.with_(site=site.with_(weather=weather)), label)

    def _typed_months(self):
        """Months as the year in hand has them, to be written over."""
        from calm_relay.planning.views.seasons import site_months

        result = site_months(self._view.plan)
        before = self._job.site.weather
        return MonthlyWeather(
            seed=before.seed if isinstance(before, ClimatePreset | MonthlyWeather) else 1,
            ghi_kwh_per_day=tuple(round(float(value), 2) for value in result.ghi_kwh_per_day),
            temp_c=tuple(round(float(value), 1) for value in result.mean_c),
            daily_range_c=round(min(result.daily_range_c, 30.0), 1),
            wind_mean=round(min(result.wind_mean, 30.0), 1),
        )

    def open_months(self) -> None:
        """Opens the typed months."""
        dialog = MonthsDialog(self._job.site.weather, self)

        def take():
            site = self._job.site.with_(weather=dialog.weather)
            self.edited.emit(self._job.with_(site=site), "Twelve months")

        dialog.accepted.connect(take)
        self.dialog = dialog
        dialog.open()

    def open_snow(self) -> None:
        """Opens the snow of a usual year."""
        dialog = SnowDialog(self._job.site.snow, self)

        def take():
            if dialog.snow != self._job.site.snow:
                self.edited.emit(self._job.with_(site=self._job.site.with_(snow=dialog.snow)), "Snow by month")

        dialog.accepted.connect(take)
        self.dialog = dialog
        dialog.open()
