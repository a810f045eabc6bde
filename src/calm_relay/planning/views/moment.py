"""One moment of a simulated year, one of its days, and the moments worth looking at."""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.plant.island import IslandYear
from calm_relay.physics.plant.year import PlantYear
from calm_relay.physics.shares import shares_of
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.engines import able_kw
from calm_relay.planning.studies.outage import Rehearsal
from calm_relay.planning.verdict.option import Option, RefusedOption
from calm_relay.planning.views.energy_path import Headroom


@dataclass(frozen=True, eq=False)
class Moment:
    """What flows in one step.

    `legs` holds kW by the name of a line's leg, positive along its drawing direction, and W/m2 for "light";
    `bars` holds what is used of a limit at that instant by station.
    """

    step: int
    clock: np.datetime64
    legs: dict[str, float]
    bars: dict[str, Headroom]


@dataclass(frozen=True, eq=False)
class Day:
    """A local day: steps [first, last), clock hours of each, flows [kW] by name, level of the battery [0 to 1].

    Above the axis `made` says what becomes of the array's power, below it `served` says who serves the home. Of the
    home `controlled` is what its controlled loads take, None where there are none.
    """

    first: int
    last: int
    hours: np.ndarray
    made: dict[str, np.ndarray]
    served: dict[str, np.ndarray]
    home: np.ndarray
    level: np.ndarray | None
    controlled: np.ndarray | None = None


@dataclass(frozen=True, eq=False)
class Strip:
    """The year by days: array, home and grid [kWh a day], each of shape (365,)."""

    made_kwh: np.ndarray
    home_kwh: np.ndarray
    imported_kwh: np.ndarray


@dataclass(frozen=True)
class Spot:
    """A moment worth looking at; `step` is None where the year has none, and `label` then says so."""

    key: str
    label: str
    step: int | None


def moment_of(plan: Plan, option: Option, step: int) -> Moment:
    """What flows in a step of an option that can be built."""
    light, clock = float(plan.site.weather.ghi[step]), plan.site.calendar.wall[step]
    return _moment(plan, option, option.outcome.year, step, light, clock, not plan.job.supply.on_grid)


def moment_of_night(plan: Plan, option: Option, run: Rehearsal, at: int) -> Moment:
    """What flows in a step of an outage rehearsed."""
    step = (run.first + int(at * run.step_h / plan.site.calendar.step_h)) % plan.site.calendar.steps
    clock = plan.site.calendar.wall[run.first] + np.timedelta64(round(at * run.step_h * 60), "m")
    return _moment(plan, option, run.run, at, float(plan.site.weather.ghi[step]), clock, True)


def _moment(
    plan: Plan,
    option: Option,
    year: IslandYear | PlantYear,
    step: int,
    light: float,
    clock: np.datetime64,
    off_grid: bool,
) -> Moment:
    converters = option.design.converters
    legs = {"light": light}
    bars = {}
    roof = option.topology.roof_units
    for together in option.path_units:
        number = together[0]
        converter = converters[number]
        flow = {
            name: sum(float(year.of(name, n)[step]) for n in together)
            for name in ("pv_dc", "clipped", "ac", "charge", "discharge")
        }
        legs[f"{number}:roof"] = flow["pv_dc"]
        legs[f"{number}:strings"] = flow["pv_dc"] - flow["clipped"]
        legs[f"{number}:ac"] = flow["ac"]
        legs[f"{number}:battery"] = flow["charge"] - flow["discharge"]
        limit = sum(converters[n].inverter.ac_kw for n in together)
        name = "Inverter" if number in roof else "Battery inverter"
        way = "charging" if flow["ac"] < -0.05 else "now"
        bars[name] = _bar(abs(flow["ac"]), limit, f"{abs(flow['ac']):.1f} of {limit:.3g} kW {way}")
        if converter.has_battery and converter is option.design.battery_converter:
            part = year.plant[number].bank
            level = float(year.of("stored", number)[step]) / part.usable_kwh
            bars["Battery"] = Headroom(level, 1.0, f"{level:.0%} full", Severity.OK)
    home, imported, exported = (float(year.at_bus(name)[step]) for name in ("home", "import", "export"))
    legs["home"] = home
    legs["grid"] = exported - imported
    # What controlled loads take is no part of the demand.
    most = max(float(plan.demand.kw.max()), float(year.at_bus("home").max()))
    bars["Home"] = Headroom(home, most, f"{home:.1f} kW now, {most:.1f} at most", Severity.OK)
    bars["Grid"] = _generator_bar(plan, imported) if off_grid else _grid_bar(plan, imported, exported)
    return Moment(step, clock, legs, bars)


def _grid_bar(plan: Plan, imported: float, exported: float) -> Headroom:
    fuse = plan.job.supply.import_limit_kw
    word = "exported" if exported > imported else "imported"
    return _bar(max(imported, exported), fuse, f"{max(imported, exported):.1f} of {fuse:.1f} kW {word} now")


def _generator_bar(plan: Plan, made: float) -> Headroom:
    """What the generator gives where the grid does not."""
    able = sum(able_kw(item, plan.job) for item in plan.job.running_generators)
    if not able:
        return Headroom(0.0, 1.0, "down: nothing from here", Severity.OK)
    return _bar(made, able, f"generator {made:.1f} of {able:.3g} kW")


def _bar(used: float, limit: float, caption: str) -> Headroom:
    """Power against a limit: at the limit it wants watching."""
    severity = Severity.CHECK if limit > 0 and used > 0.98 * limit else Severity.OK
    return Headroom(used, float(limit), caption, severity)


def day_of(plan: Plan, option: Option, step: int) -> Day:
    """The local day that holds a step."""
    dates = plan.site.calendar.wall.astype("datetime64[D]")
    here = np.flatnonzero(dates == dates[step])
    first, last = int(here[0]), int(here[-1]) + 1
    year = option.outcome.year
    cut = slice(first, last)
    shares = shares_of(year.cut(first, last))
    converter = option.design.battery_converter
    level = None
    if converter:
        number = option.design.converters.index(converter)
        level = year.of("stored", number)[cut] / year.plant[number].bank.usable_kwh
    wall = plan.site.calendar.wall[cut]
    off_grid = isinstance(year, IslandYear)
    imported = year.at_bus("import")[cut]
    others = (
        {"from the generator": imported, "not served": year.unmet[cut]}
        if isinstance(year, IslandYear)
        else {"imported": imported}
    )
    return Day(
        first,
        last,
        (wall - dates[step]) / np.timedelta64(1, "h"),
        {
            "used at home": shares.pv_to_home,
            "into the battery": shares.pv_to_battery,
            **({} if off_grid else {"exported": year.at_bus("export")[cut]}),
            "clipped": year.of("clipped")[cut],
            "curtailed": year.of("curtailed")[cut],
        },
        {"from the battery": shares.battery_to_home, **others},
        year.outage.asked_kw[cut] if isinstance(year, IslandYear) else year.at_bus("home")[cut],
        level,
        year.controlled_kw[cut] if year.loads.loads else None,
    )


def strip_of(plan: Plan, option: Option) -> Strip:
    """The year by days of standard time."""
    year = option.outcome.year

    def daily(series: np.ndarray) -> np.ndarray:
        return series.reshape(365, -1).sum(axis=1) * year.step_h

    return Strip(daily(year.of("pv_dc")), daily(year.at_bus("home")), daily(year.at_bus("import")))


def overview_of(
    plan: Plan, option: Option | RefusedOption, progress: Progress = unheard
) -> tuple[Strip, tuple[Spot, ...]] | None:
    """Strip and spots of an option's year; None for an option that is refused."""
    if isinstance(option, RefusedOption):
        return None
    progress(0.0, "Reading the year")
    return strip_of(plan, option), spots_of(plan, option)


def spots_of(plan: Plan, option: Option) -> tuple[Spot, ...]:
    """The best day, the worst evening, the first clipped hour, and the emptiest battery."""
    year, calendar = option.outcome.year, plan.site.calendar
    made = year.of("pv_dc")
    best = int(made.reshape(365, -1).sum(axis=1).argmax())
    per_day = made.size // 365
    noon = best * per_day + int(made[best * per_day : (best + 1) * per_day].argmax())
    evening = np.where(plan.site.night & (calendar.wall_minute >= 15 * 60), year.at_bus("import"), -1.0)
    clipped = np.flatnonzero(year.of("clipped") > 1e-3)
    spots = [
        Spot("best", "The best day", noon),
        Spot("worst", "The worst evening", int(evening.argmax())),
        Spot("clipped", "The first clipped hour", int(clipped[0]))
        if clipped.size
        else Spot("clipped", "Nothing is clipped", None),
    ]
    converter = option.design.battery_converter
    if converter is None:
        return (*spots, Spot("empty", "There is no battery", None))
    level = year.of("stored", option.design.converters.index(converter))
    day = int(level.reshape(365, -1).mean(axis=1).argmin())
    lowest = day * per_day + int(level[day * per_day : (day + 1) * per_day].argmin())
    return (*spots, Spot("empty", "The emptiest battery", lowest))
