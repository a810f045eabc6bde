"""What of a job is measured, assumed or missing; the plan is run at both ends of each thing that is assumed."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from calm_relay.job.equipment import Inverter
from calm_relay.job.finance import Finance
from calm_relay.job.model import ClimatePreset, Job, MonthlyWeather
from calm_relay.job.quantity import length_text, measure_text
from calm_relay.job.survey import BatteryPlace, HorizonPoint, Snow
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.common.joined import counted
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.common.wanted import STATIONS, WORDS
from calm_relay.planning.operation.fuel import HOURS_A_YEAR, stand_in
from calm_relay.planning.plan import Plan, plan
from calm_relay.planning.site.grid_code import curve_of
from calm_relay.planning.site.months import months_of
from calm_relay.planning.verdict.option import Option, RefusedOption

Status = Literal["measured", "assumed", "missing"]
# Plausible ranges: common practice, no source. Light of an assumed climate, demand typed or estimated, prices.
LIGHT, DEMAND, PRICE, EXPORT = 0.08, 0.15, 0.20, 0.5
ELEVATION_M, TILT, AZIMUTH = 200.0, 5.0, 15.0
SOILING = (0.0, 0.06)
# What a sky that nobody drew may hide: nothing, or a rim of trees and houses.
RIM = tuple(HorizonPoint(azimuth=float(azimuth), elevation=12.0) for azimuth in range(0, 360, 30))
SNOW_CM, SNOW_DAYS = 30.0, 5.0
# Hours a year without grid, where a generator is kept for them.
OUTAGES_H = (0.0, 1000.0)
FUSES_A = (20.0, 25.0, 32.0, 35.0, 40.0, 50.0, 63.0, 80.0, 100.0, 125.0, 150.0, 200.0, 250.0, 400.0)


@dataclass(frozen=True)
class Entry:
    """One thing that is known of a job, or not: how it stands, and the job at both ends of its plausible range."""

    key: str
    label: str
    station: str
    status: Status
    now: str
    between: str = ""
    ends: tuple[Callable[[Job], Job], ...] = ()


@dataclass(frozen=True)
class End:
    """What a job at one end of a range comes to: the option that fits best, and the figures of today's best."""

    choice: str
    saving: float | None
    hours: float | None


@dataclass(frozen=True)
class Swing:
    """What one assumed thing could change."""

    entry: Entry
    ends: tuple[End, ...]
    today: End

    @property
    def saving(self) -> float:
        """How far the yearly saving of today's best option moves, from end to end [currency/year]."""
        known = [end.saving for end in (*self.ends, self.today) if end.saving is not None]
        return max(known) - min(known) if known else 0.0

    @property
    def hours(self) -> float:
        """How far its hours of backup move [h]."""
        known = [end.hours for end in (*self.ends, self.today) if end.hours is not None]
        return max(known) - min(known) if known else 0.0

    @property
    def changes_choice(self) -> bool:
        """Whether another option fits best at an end."""
        return any(end.choice != self.today.choice for end in self.ends)


@dataclass(frozen=True)
class SurveyResult:
    """Swings, the next thing worth measuring first, and the entries without one: measured, or missing."""

    swings: tuple[Swing, ...]
    rest: tuple[Entry, ...]


@said_in_region
def entries_of(made: Plan) -> tuple[Entry, ...]:
    """Everything that a site visit measures, along the path of energy."""
    return (
        *_unanswered(made.job),
        *_site(made),
        *_roof(made.job),
        *_today(made),
        *_home(made),
        *_service(made.job),
    )


def _unanswered(job: Job) -> Iterator[Entry]:
    for key in job.wanted:
        label = WORDS[key]
        yield Entry(f"wanted-{key}", label[:1].upper() + label[1:], STATIONS[key][0], "missing", "nobody said")


def _assumed(job: Job, path: str) -> Status:
    return "assumed" if path in job.assumed else "measured"


def _site(made: Plan) -> Iterator[Entry]:
    job, site = made.job, made.job.site
    in_feet = made.equipment.library.in_feet(job)
    if isinstance(site.weather, ClimatePreset):
        months = months_of(made.site)

        def lit(factor: float) -> Callable[[Job], Job]:
            weather = MonthlyWeather(
                ghi_kwh_per_day=tuple(min(float(value) * factor, 12.0) for value in months.ghi_kwh_per_day),
                temp_c=tuple(float(value) for value in months.mean_c),
                daily_range_c=min(max(months.daily_range_c, 0.0), 30.0),
                wind_mean=min(months.wind_mean, 30.0),
            )
            return lambda job: job.with_(site=job.site.with_(weather=weather))

        yield Entry(
            "climate", "Weather year", "Site", "assumed", "made from an assumed climate",
            f"{LIGHT:.0%} less to {LIGHT:.0%} more light", (lit(1.0 - LIGHT), lit(1.0 + LIGHT)),
        )  # fmt: skip
    else:
        yield Entry("climate", "Weather year", "Site", "measured", site.weather.kind)
    status = _assumed(job, "site.elevation_m")
    low, high = max(site.elevation_m - ELEVATION_M, -400.0), min(site.elevation_m + ELEVATION_M, 5000.0)
    yield Entry(
        "elevation", "Elevation", "Site", status, length_text(site.elevation_m, in_feet),
        f"{length_text(low, in_feet)} to {length_text(high, in_feet)}" if status == "assumed" else "",
        (_site_with(elevation_m=low), _site_with(elevation_m=high)) if status == "assumed" else (),
    )  # fmt: skip
    if not job.faces:
        return
    if site.horizon:
        yield Entry("horizon", "Horizon", "Site", "measured", f"{len(site.horizon)} points drawn")
    else:
        yield Entry(
            "horizon", "Horizon", "Site", "assumed", "flat: nothing is drawn", "free to 12° all round",
            (_site_with(horizon=()), _site_with(horizon=RIM)),
        )  # fmt: skip
    cold = made.site.freezing_months
    if site.snow is not None:
        yield Entry("snow", "Snow", "Site", "measured", site.snow.summary(in_feet))
    elif cold:
        fall, days = (
            tuple(value if number in cold else 0.0 for number in range(1, 13)) for value in (SNOW_CM, SNOW_DAYS)
        )
        yield Entry(
            "snow", "Snow", "Site", "assumed", "none is counted",
            f"none to {measure_text(SNOW_CM, 'cm', 0, in_feet)} a month that freezes",
            (_site_with(snow=None), _site_with(snow=Snow(fall_cm=fall, days=days))),
        )  # fmt: skip


def _site_with(**changes: Any) -> Callable[[Job], Job]:
    return lambda job: job.with_(site=job.site.with_(**changes))


def _roof(job: Job) -> Iterator[Entry]:
    for number, face in enumerate(job.faces):
        drawn = face.rectangle is not None
        status: Status = "measured" if drawn else "missing"
        yield Entry(
            f"size-{number}", f"{face.name}: length and width", "Roof", status,
            "measured" if drawn else "nobody measured it",
        )  # fmt: skip
    if not job.faces:
        return
    soiling = job.losses.soiling
    usual = soiling == type(job.losses).model_fields["soiling"].default
    yield Entry(
        "soiling", "Soiling", "Roof", "assumed" if usual else "measured", f"{soiling:.0%}",
        f"{SOILING[0]:.0%} to {SOILING[1]:.0%}" if usual else "",
        tuple(_losses(soiling=value) for value in SOILING) if usual else (),
    )  # fmt: skip


def _losses(**changes: Any) -> Callable[[Job], Job]:
    return lambda job: job.with_(losses=job.losses.with_(**changes))


def _today(made: Plan) -> Iterator[Entry]:
    job = made.job
    for number, there in enumerate(job.existing_inverters):
        unit: Inverter = made.equipment.inverter(there.inverter, f"existing_inverters.{number}.inverter")
        label = "Inverter there today" if len(job.existing_inverters) == 1 else f"{there.name}, there today"
        yield Entry(f"inverter-{number}" if number else "inverter", label, "Inverter", "measured", unit.name)
    for number, old in enumerate(job.existing_batteries):
        worn = old.health < 1.0 or old.age_years == 0 or old.measured_kwh is not None
        label = "the battery there today" if len(job.existing_batteries) == 1 else f"{old.name}, there today"
        measured = f"{old.health:.0%}" if old.measured_kwh is None else f"{old.measured_kwh:g} kWh"
        yield Entry(
            f"health-{number}" if number else "health", f"Health of {label}", "Battery",
            "measured" if worn else "assumed", measured, "" if worn else "70% to 100%",
            () if worn else tuple(_old_battery(number, health=value) for value in (0.7, 1.0)),
        )  # fmt: skip
    status = _assumed(job, "battery_place")
    yield Entry(
        "place", "Where the battery stands", "Battery", status, _stands(job.battery_place),
        "heated room to outdoors" if status == "assumed" else "",
        tuple(_place(where=value) for value in ("heated room", "outdoors")) if status == "assumed" else (),
    )  # fmt: skip


def _old_battery(number: int, **changes: Any) -> Callable[[Job], Job]:
    return lambda job: job.with_existing_battery(number, **changes)


def _stands(place: BatteryPlace) -> str:
    """Where a battery stands, in words."""
    return f"{place.where}, {place.room}" if place.where != "outdoors" and place.room else place.where


def _place(**changes: Any) -> Callable[[Job], Job]:
    return lambda job: job.with_(battery_place=job.battery_place.with_(**changes))


def _home(made: Plan) -> Iterator[Entry]:
    demand = made.job.demand
    if demand.kind == "meter":
        yield Entry("demand", "Demand", "Home", "measured", "a meter’s intervals")
    else:
        kwh = demand.yearly_kwh
        if demand.bills:
            of_grid = " of what came from the grid" if made.demand.behind is not None else ""
            told = f"{counted(len(demand.bills), 'bill')}{of_grid}"
            yield Entry("demand", "Demand in a year", "Home", "measured", told)
        else:

            def used(factor: float) -> Callable[[Job], Job]:
                return lambda job: job.with_(demand=job.demand.with_(yearly_kwh=kwh * factor))

            low, high = kwh * (1.0 - DEMAND), kwh * (1.0 + DEMAND)
            yield Entry(
                "demand", "Demand in a year", "Home", "assumed", f"{kwh:,.0f} kWh, spread by a usual shape",
                f"{low:,.0f} to {high:,.0f} kWh", (used(1.0 - DEMAND), used(1.0 + DEMAND)),
            )  # fmt: skip
    if made.job.backup_board is None:
        yield Entry("board", "Circuits of the board", "Home", "missing", "the whole house is backed up")
    else:
        yield Entry(
            "board", "Circuits of the board", "Home", "measured", f"{len(made.job.board.circuits)} circuits"
        )


def _service(job: Job) -> Iterator[Entry]:
    supply, tariff = job.supply, job.tariff
    if supply.on_grid:
        status = _assumed(job, "supply.main_fuse_a")
        sizes = [size for size in FUSES_A if size < supply.main_fuse_a][-1:]
        sizes += [size for size in FUSES_A if size > supply.main_fuse_a][:1]
        yield Entry(
            "fuse", "Main fuse", "Grid", status, f"{supply.main_fuse_a:g} A",
            " to ".join(f"{size:g}" for size in sizes) + " A" if status == "assumed" else "",
            tuple(_supply(main_fuse_a=size) for size in sizes) if status == "assumed" else (),
        )  # fmt: skip
    yield Entry(
        "phases",
        "Phases, voltage, frequency",
        "Grid",
        _assumed(job, "supply.phases"),
        f"{supply.phases}, {supply.volts:g} V, {curve_of(job).nominal_hz:g} Hz",
    )
    if supply.on_grid:
        for path, label, value, spread in (
            ("tariff.price", "Price of a kWh", tariff.price, PRICE),
            ("tariff.feed_in", "Paid for export", tariff.feed_in, EXPORT),
        ):
            name, status = path.partition(".")[2], _assumed(job, path)
            low, high = value * (1.0 - spread), value * (1.0 + spread)
            yield Entry(
                name, label, "Grid", status, f"{tariff.currency} {value:g}",
                f"{tariff.currency} {low:.3f} to {high:.3f}" if status == "assumed" else "",
                (_tariff(name, low), _tariff(name, high)) if status == "assumed" else (),
            )  # fmt: skip
        if stand_in(job) is not None:
            yield _without_grid(job)
        for key, label, stated in (
            ("busbar", "Busbar of the main board", supply.busbar_a),
            ("limit", "Inverter power of the connection", supply.inverter_limit_kw),
        ):
            known: Status = "measured" if stated is not None else "missing"
            yield Entry(key, label, "Grid", known, f"{stated:g}" if stated is not None else "not stated")


def _without_grid(job: Job) -> Entry:
    """How long a generator has to stand in: as nobody has said, between hardly ever and some hours a day."""
    hours = job.finance.outage_hours
    key, label, told = "outages", "Hours without grid in a year", f"{hours:g} h"
    if hours != Finance().outage_hours and "finance.outage_hours" not in job.assumed:
        return Entry(key, label, "Grid", "measured", told)
    least, most = OUTAGES_H if hours < OUTAGES_H[1] else (0.5 * hours, min(1.5 * hours, HOURS_A_YEAR))
    ends = tuple(
        (lambda job, hours=hours: job.with_(finance=job.finance.with_(outage_hours=hours)))
        for hours in (least, most)
    )
    return Entry(key, label, "Grid", "assumed", told, f"{least:,.0f} to {most:,.0f} h", ends)


def _supply(**changes: Any) -> Callable[[Job], Job]:
    return lambda job: job.with_(supply=job.supply.with_(**changes))


def _tariff(name: str, value: float) -> Callable[[Job], Job]:
    return lambda job: job.with_(tariff=job.tariff.with_(**{name: round(value, 6)}))


def swings_of(made: Plan, folder: Path, progress: Progress = unheard) -> SurveyResult:
    """Runs the plan at both ends of everything that is assumed.

    Parameters
    ----------
    made : Plan
        Of the job as it stands.
    folder : Path
        Where the job's relative paths start.
    progress : Progress
        Told before each run; it may call the study off.
    """
    key = made.choice.key
    today = _end(made, key)
    entries = entries_of(made)
    asked = [entry for entry in entries if entry.ends]
    swings = []
    for number, entry in enumerate(asked):
        ends = []
        for place, turn in enumerate(entry.ends):
            progress((number + place / 2.0) / len(asked), f"Turning {entry.label[:1].lower()}{entry.label[1:]}")
            try:
                job = turn(made.job)
                ends.append(today if job == made.job else _end(plan(job, made.equipment.library, folder), key))
            except (PlanError, ValueError) as error:
                ends.append(End(f"no plan: {error}", None, None))
        swings.append(Swing(entry, tuple(ends), today))
    swings.sort(key=lambda swing: (not swing.changes_choice, -swing.saving, -swing.hours))
    return SurveyResult(tuple(swings), tuple(entry for entry in entries if not entry.ends))


def _end(made: Plan, key: str | None) -> End:
    best = made.option(made.choice.key).title if made.choice.key else "none fits"
    option = made.option(key) if key else None
    if not isinstance(option, Option):
        assert option is None or isinstance(option, RefusedOption)
        return End(best, None, None)
    return End(best, option.outcome.money.saving, option.outcome.backup.hours)
