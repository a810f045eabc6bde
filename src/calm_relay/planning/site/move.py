"""Moving a job to another place: everything that belonged to the old one, beside what is usual at the new."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.country import Country
from calm_relay.job.demand import ShapedDemand
from calm_relay.job.library import Climate, Library
from calm_relay.job.model import ClimatePreset, Job, Site
from calm_relay.job.quantity import length_text
from calm_relay.job.tariff import Tariff
from calm_relay.planning.common.amounts import degrees_text
from calm_relay.planning.site.climates import nearest_climates
from calm_relay.planning.site.demand_seasons import usual_winter_factor
from calm_relay.planning.site.grid_code import curve_of
from calm_relay.planning.site.money_turned import amounts_in, turned
from calm_relay.planning.site.new_job import ELSEWHERE, WINTER_FACTOR, tables_in

FROM_YEAR, NOT_STATED = "from the year", "not stated"
TABLES = {
    None: "as the region's rules", "iec": "IEC 60364-5-52, mm²", "bs": "BS 7671, mm²", "as-nzs": "AS/NZS 3008, mm²",
    "nec": "NEC 310, AWG", "csa": "CSA C22.1, AWG",
}  # fmt: skip


@dataclass(frozen=True)
class NewPlace:
    """Where a job moves to, as the list of towns has it."""

    label: str
    name: str
    country: str
    latitude: float
    longitude: float
    time_zone: str


@dataclass(frozen=True)
class Belonging:
    """One thing that belonged to the old place: as it is, as it would be, and the job with it changed.

    `why` says where the new one is from; `assumed` are the paths that are assumed from then on.
    """

    key: str
    label: str
    old: str
    new: str
    change: Callable[[Job], Job]
    why: str = ""
    assumed: tuple[str, ...] = ()


def moved(job: Job, place: NewPlace) -> Job:
    """The job at the place itself: its name, latitude, longitude and clock, and nothing else."""
    site = job.site.with_(
        place=place.label,
        latitude=round(place.latitude, 3),
        longitude=round(place.longitude, 3),
        time_zone=place.time_zone,
    )
    return job.with_(site=site)


def belongings(job: Job, place: NewPlace, library: Library) -> tuple[Belonging, ...]:
    """What belonged to the old place and would be otherwise at the new one, in the order of the path."""
    at = moved(job, place).site
    usual = library.countries.get(place.country, ELSEWHERE)
    return tuple(found for found in _all(job, at, usual, library) if found.old != found.new)


def _of_site(**changes: Any) -> Callable[[Job], Job]:
    return lambda job: job.with_(site=job.site.with_(**changes))


def _all(job: Job, at: Site, usual: Country, library: Library) -> Iterator[Belonging]:
    site = job.site
    near, in_feet = nearest_climates(at, library, height_known=False)[0], library.in_feet(job)
    climate = near.climate
    yield Belonging(
        "elevation", "Elevation", length_text(site.elevation_m, in_feet), length_text(climate.elevation_m, in_feet),
        _of_site(elevation_m=climate.elevation_m), why=f"as {climate.name}", assumed=("site.elevation_m",),
    )  # fmt: skip
    yield Belonging(
        "climate", "Weather year", _weather(job, library), f"assumed: {climate.name}",
        _of_site(weather=ClimatePreset(climate=climate.key)), why=f"{near.distance_km:,.0f} km away",
    )  # fmt: skip
    for key, label, value in (
        ("coldest_c", "Coldest cell", site.coldest_c), ("hottest_c", "Hottest air", site.hottest_c),
    ):  # fmt: skip
        old = FROM_YEAR if value is None else degrees_text(value)
        yield Belonging(key, label, old, FROM_YEAR, _of_site(**{key: None}))
    points = len(site.horizon)
    yield Belonging(
        "horizon", "Horizon", f"{points} points drawn" if points else "none", "none", _of_site(horizon=())
    )
    stated = site.snow.summary(in_feet) if site.snow else NOT_STATED
    yield Belonging("snow", "Snow", stated, NOT_STATED, _of_site(snow=None))
    yield from _demand(job, climate, at)
    yield from _service(job, usual)
    yield from _tariff(job, usual)
    yield from _rules(job, usual, library)


def _demand(job: Job, climate: Climate, at: Site) -> Iterator[Belonging]:
    """How winter and summer share what the home uses, where no meter says it."""
    demand = job.demand
    # Of a workplace its trade says it, and not the air.
    if not isinstance(demand, ShapedDemand) or demand.shape != "household":
        return
    factor = usual_winter_factor(climate, at.latitude)
    yield Belonging(
        "seasons", "Use in midwinter", f"{demand.winter_factor:g} of the mean", f"{factor:g} of the mean",
        lambda job: job.with_(demand=job.demand.with_(winter_factor=factor)), why=f"by the warmth of {climate.name}",
        assumed=(WINTER_FACTOR,),
    )  # fmt: skip


def _weather(job: Job, library: Library) -> str:
    weather = job.site.weather
    if isinstance(weather, ClimatePreset):
        known = library.climates.get(weather.climate)
        return f"assumed: {known.name}" if known else weather.climate
    return f"file {weather.path.rsplit('/', 1)[-1]}" if weather.kind == "file" else "twelve months typed in"


def _service(job: Job, usual: Country) -> Iterator[Belonging]:
    supply = job.supply

    def change(job: Job) -> Job:
        fields: dict[str, Any] = {"phases": usual.phases, "volts": usual.volts}
        if usual.phases != "three":
            fields |= {"meter": "sum of phases"}
        # Circuits and service are changed together: neither fits the other's old one.
        board = job.backup_board and job.backup_board.on_legs_of(usual.phases)
        return job.with_(supply=job.supply.with_(**fields), backup_board=board)

    yield Belonging(
        "service", "Service", f"{supply.circuit.name}, {supply.volts:g} V",
        f"{CIRCUITS[usual.phases].name}, {usual.volts:g} V", change, assumed=("supply.phases", "supply.volts"),
    )  # fmt: skip
    now = f"{curve_of(job).nominal_hz:.0f} Hz"
    yield Belonging(
        "frequency", "Frequency", now, f"{usual.hertz} Hz",
        lambda job: job.with_(supply=job.supply.with_(hertz=usual.hertz)), assumed=("supply.hertz",),
    )  # fmt: skip
    if not supply.on_grid:
        return
    yield Belonging(
        "fuse", "Main fuse", f"{supply.main_fuse_a:g} A", f"{usual.main_fuse_a:g} A",
        lambda job: job.with_(supply=job.supply.with_(main_fuse_a=usual.main_fuse_a)),
        assumed=("supply.main_fuse_a",),
    )  # fmt: skip
    limit = supply.inverter_limit_kw
    yield Belonging(
        "limit", "Inverter power of the connection", "none stated" if limit is None else f"{limit:g} kW",
        "none stated", lambda job: job.with_(supply=job.supply.with_(inverter_limit_kw=None)),
    )  # fmt: skip


def _tariff(job: Job, usual: Country) -> Iterator[Belonging]:
    tariff = job.tariff
    windows = len(tariff.windows) + len(tariff.feed_in_windows)
    old = (
        f"{tariff.price:g} a kWh" + (f", {windows} windows" if windows else "") + f", {tariff.feed_in:g} exported"
    )
    new = f"{usual.price:g} a kWh, {usual.feed_in:g} exported"
    yield Belonging(
        "currency", "Currency", tariff.currency, usual.currency,
        lambda job: job.with_(tariff=job.tariff.with_(currency=usual.currency)),
    )  # fmt: skip
    typical = Tariff(
        price=usual.price, feed_in=usual.feed_in, standing_per_day=usual.standing_per_day, currency=usual.currency
    )
    if job.supply.on_grid:
        yield Belonging(
            "tariff", "Tariff", old, new,
            lambda job: job.with_(tariff=typical.with_(currency=job.tariff.currency)),
            assumed=("tariff.price", "tariff.feed_in", "tariff.standing_per_day"),
        )  # fmt: skip

    units = usual.money / job.costs.shipped_prices
    same = f"in {tariff.currency}"
    yield Belonging(
        "prices", "Other amounts", same, same if units == 1.0 else f"in {usual.currency}, times {units:g}",
        lambda job: turned(job, units), why=", ".join(amounts_in(job)), assumed=("costs.shipped_prices",),
    )  # fmt: skip

    if not job.supply.on_grid:
        return
    charging = job.battery.charge_windows
    yield Belonging(
        "charge_windows", "Charging from the grid", ", ".join(window.summary for window in charging) or "none", "none",
        lambda job: job.with_(battery=job.battery.with_(charge_windows=())),
    )  # fmt: skip


def _rules(job: Job, usual: Country, library: Library) -> Iterator[Belonging]:
    region = usual.region if usual.region in library.rule_packs else "generic"

    def name(key: str) -> str:
        return library.rule_packs[key].name if key in library.rule_packs else key

    yield Belonging(
        "region", "Rules of the region", name(job.region), name(region), lambda job: job.with_(region=region)
    )
    tables, wanted = job.wiring.tables, tables_in(usual, library)
    yield Belonging(
        "wires", "Tables and sizes of wires", TABLES[tables], TABLES[wanted],
        lambda job: job.with_(wiring=job.wiring.with_(tables=wanted)),
        assumed=("wiring.tables",) if wanted is not None else (),
    )  # fmt: skip
    own = [rule.name for rule in job.rules]
    yield Belonging(
        "rules", "Rules of this job alone", ", ".join(own) or "none", "none", lambda job: job.with_(rules=())
    )
    changed = len(job.rule_changes)
    yield Belonging(
        "rule_changes", "Rules changed for this job", f"{changed} changed" if changed else "none", "none",
        lambda job: job.with_(rule_changes=()),
    )  # fmt: skip


def move(job: Job, place: NewPlace, taken: tuple[Belonging, ...]) -> Job:
    """The job at the new place with the belongings that were taken; what is usual there is marked as assumed.

    Raises
    ------
    pydantic.ValidationError
        When what is kept and what is taken contradict each other.
    """
    result = moved(job, place)
    for belonging in taken:
        result = belonging.change(result)
    paths = [path for belonging in taken for path in belonging.assumed if path not in result.assumed]
    return result.with_(assumed=(*result.assumed, *paths))
