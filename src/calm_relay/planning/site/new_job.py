"""A job begun from a place: what is usual there, assumed until somebody says otherwise."""

from typing import Literal

from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.country import Country
from calm_relay.job.demand import Demand, ShapedDemand
from calm_relay.job.library import Climate, Library
from calm_relay.job.model import ClimatePreset, Job, PlannedBattery, RoofFace, Site, Supply
from calm_relay.job.tariff import Costs, Tariff
from calm_relay.job.wiring import Wiring
from calm_relay.planning.common.amounts import price_text
from calm_relay.planning.site.climates import nearest_climates
from calm_relay.planning.site.demand_seasons import usual_winter_factor
from calm_relay.planning.site.first_battery import first_bank, held_at_first_kwh, with_first_battery
from calm_relay.planning.site.usual_purposes import usual_purposes

# Where a country is not known: what most of the world has.
ELSEWHERE = Country(
    name="elsewhere", code="XX", phases="single", volts=230.0, hertz=50, main_fuse_a=40.0, currency="€",
    region="generic",
    wire_sizes="metric", paper="A4", price=0.25, feed_in=0.05, standing_per_day=0.2,
)  # fmt: skip
PLACE_ASSUMED = (
    "site.elevation_m",
    "supply.phases",
    "supply.volts",
    "supply.hertz",
    "supply.main_fuse_a",
    "tariff.price",
    "tariff.feed_in",
    "tariff.standing_per_day",
)
WINTER_FACTOR = "demand.winter_factor"
HOURS_OFF = "finance.outage_hours"
FIRST_ASSUMED = (
    "purposes", "outage_hours", HOURS_OFF, "battery.pack", "battery.count", "battery_place", WINTER_FACTOR,
)  # fmt: skip
ASSUMED = (*PLACE_ASSUMED, *FIRST_ASSUMED)


def new_job(
    name: str,
    place: str,
    country: str,
    latitude: float,
    longitude: float,
    time_zone: str,
    yearly_kwh: float,
    library: Library,
    modules: int = 0,
) -> Job:
    """A job at a place with what is usual there.

    Parameters
    ----------
    name : str
        What the job is called.
    place, country : str
        The place as shown, and the name of its country.
    latitude, longitude : float
        Degrees, north and east positive.
    time_zone : str
        IANA name.
    yearly_kwh : float
        What the home asks in a year [kWh].
    library : Library
        Countries, climates and equipment to draw on.
    modules : int
        How many are to lie on a first face towards the equator; 0 for a battery alone.

    Raises
    ------
    pydantic.ValidationError
        When a figure is out of its range.
    """
    begun = begun_job(name, library)
    there = placed(begun, place, country, latitude, longitude, time_zone, library)
    return with_array(_with_demand(there, yearly_kwh, library), modules, library)


def begun_job(name: str, library: Library) -> Job:
    """A job of which nothing is said but its name: what stands in it is wanted, and is no answer."""
    site = Site(place="", latitude=0.0, longitude=0.0, time_zone="UTC", weather=ClimatePreset(climate="x"))
    climate = nearest_climates(site, library, height_known=False)[0].climate
    supply = _service(ELSEWHERE)
    bank = first_bank(library, supply.phases, held_at_first_kwh(ELSEWHERE.home_kwh))
    return Job(
        name=name,
        site=site.with_(weather=ClimatePreset(climate=climate.key)),
        supply=supply,
        purposes=usual_purposes(ELSEWHERE),
        demand=ShapedDemand(yearly_kwh=ELSEWHERE.home_kwh),
        tariff=_tariff(ELSEWHERE),
        costs=library.costs or Costs(),
        wiring=Wiring(own_figures=library.own_figures),
        battery=PlannedBattery(pack=bank.pack.key, count=bank.count),
        region="generic",
        assumed=ASSUMED,
        wanted=("place", "demand", "array"),
    )


def placed(
    job: Job,
    place: str,
    country: str,
    latitude: float,
    longitude: float,
    time_zone: str,
    library: Library,
) -> Job:
    """A job that was begun, at its place, with what is usual there; see `new_job`."""
    usual = library.countries.get(country, ELSEWHERE)
    bare = Site(
        place=place,
        latitude=round(latitude, 3),
        longitude=round(longitude, 3),
        time_zone=time_zone,
        weather=ClimatePreset(climate="x"),
    )
    climate = nearest_climates(bare, library, height_known=False)[0].climate
    battery = job.battery
    if "battery.pack" in job.assumed:
        wanted = held_at_first_kwh(usual.home_kwh)
        bank = first_bank(library, usual.phases, wanted, climate.elevation_m)
        battery = PlannedBattery(pack=bank.pack.key, count=bank.count)
    marks = PLACE_ASSUMED if country in library.countries else (*PLACE_ASSUMED, "region", "tariff.currency")
    tables = tables_in(usual, library)
    marks = marks if tables is None else (*marks, "wiring.tables")
    costs = _costs(job.costs, usual, library)
    marks = marks if costs.shipped_prices == job.costs.shipped_prices else (*marks, "costs.shipped_prices")
    there = job.with_(
        site=bare.with_(elevation_m=climate.elevation_m, weather=ClimatePreset(climate=climate.key)),
        supply=_service(usual),
        wiring=job.wiring.with_(tables=tables),
        costs=costs,
        backup_board=job.backup_board and job.backup_board.on_legs_of(usual.phases),
        tariff=_tariff(usual),
        demand=_standing_in(_through_the_year(job, climate, latitude), job, usual),
        faces=tuple(_turned(face, job.site.latitude, latitude) for face in job.faces),
        battery=battery,
        purposes=usual_purposes(usual) if "purposes" in job.assumed else job.purposes,
        outage_hours=usual.outage_h if "outage_hours" in job.assumed else job.outage_hours,
        finance=job.finance.with_(outage_hours=usual.hours_off) if HOURS_OFF in job.assumed else job.finance,
        region=usual.region if usual.region in library.rule_packs else "generic",
        assumed=(*marks, *(path for path in job.assumed if path not in marks)),
        wanted=tuple(key for key in job.wanted if key != "place"),
    )
    return there if "demand" in there.wanted else with_first_battery(there, library)


def _with_demand(job: Job, yearly_kwh: float, library: Library) -> Job:
    wanted = tuple(key for key in job.wanted if key != "demand")
    assert isinstance(job.demand, ShapedDemand), "nobody has read a meter yet"
    return with_first_battery(job.with_(demand=job.demand.with_(yearly_kwh=yearly_kwh), wanted=wanted), library)


def _standing_in(demand: Demand, job: Job, usual: Country) -> Demand:
    """The demand with what a household usually uses there, until somebody says what this one does."""
    if "demand" not in job.wanted or not isinstance(demand, ShapedDemand):
        return demand
    return demand.with_(yearly_kwh=usual.home_kwh)


def _through_the_year(job: Job, climate: Climate, latitude: float) -> Demand:
    """The demand, shared between the seasons as is usual in a climate while that is assumed."""
    demand = job.demand
    if not isinstance(demand, ShapedDemand) or WINTER_FACTOR not in job.assumed:
        return demand
    return demand.with_(winter_factor=usual_winter_factor(climate, latitude))


def with_array(job: Job, modules: int, library: Library) -> Job:
    """A job that was begun, with a first face of so many modules towards the equator, or without an array."""
    return job.with_(
        faces=_first_face(modules, library, job.site.latitude),
        wanted=tuple(key for key in job.wanted if key != "array"),
    )


def _costs(begun: Costs, usual: Country, library: Library) -> Costs:
    """The example price list in the country's money; of a list of the firm's or of somebody's own only its examples."""
    example = Costs()
    if library.costs is None and begun == example.in_money(begun.shipped_prices):
        return example.in_money(usual.money)
    said = library.costs is not None and library.costs.shipped_prices != example.shipped_prices
    return begun if said else begun.with_(shipped_prices=usual.money)


def _service(usual: Country) -> Supply:
    return Supply(phases=usual.phases, volts=usual.volts, hertz=usual.hertz, main_fuse_a=usual.main_fuse_a)


def tables_in(usual: Country, library: Library) -> Literal["iec", "nec"] | None:
    """Tables of wires with the sizes of a country where those of its rules have others; else None."""
    pack = library.rule_packs.get(usual.region) or library.rule_packs.get("generic")
    tables = library.wires.get(pack.wires) if pack is not None else None
    gauges = tables is not None and tables.in_gauges
    if gauges == (usual.wire_sizes == "awg"):
        return None
    return "iec" if gauges else "nec"


def _tariff(usual: Country) -> Tariff:
    return Tariff(
        currency=usual.currency,
        price=usual.price,
        feed_in=usual.feed_in,
        standing_per_day=usual.standing_per_day,
    )


def usual_in(country: str, latitude: float, longitude: float, time_zone: str, library: Library) -> str:
    """What a new job assumes at a place, in a sentence."""
    usual = library.countries.get(country, ELSEWHERE)
    site = Site(
        place="", latitude=latitude, longitude=longitude, time_zone=time_zone, weather=ClimatePreset(climate="x")
    )
    match = nearest_climates(site, library, height_known=False)[0]
    phases = CIRCUITS[usual.phases].name
    known = "" if country in library.countries else "Its country is not in the list. "
    return (
        f"{known}Assumed: {phases} of {usual.volts:g} V, {usual.hertz} Hz, main fuse {usual.main_fuse_a:g} A, "
        f"{usual.currency} {price_text(usual.price)} a kWh, rules “{_pack_name(usual, library)}”, climate of "
        f"{match.climate.name}, {match.distance_km:,.0f} km away."
    )


def _pack_name(usual: Country, library: Library) -> str:
    pack = library.rule_packs.get(usual.region)
    return pack.name if pack else usual.region


def _first_face(modules: int, library: Library, latitude: float) -> tuple[RoofFace, ...]:
    if modules <= 0:
        return ()
    module = min(
        library.on_shelf.modules, key=lambda item: (item.price <= 0.0, item.price / item.power_w, item.key)
    )
    facing = _to_equator(latitude)
    tilt = _usual_tilt(latitude)
    return (RoofFace(name="Roof", module=module.key, tilt=tilt, azimuth=facing, count=modules, fate="new"),)


def _turned(face: RoofFace, before: float, latitude: float) -> RoofFace:
    """A face of a job that finds its place: towards the equator, and as steep as is usual there unless it was said."""
    tilt = _usual_tilt(latitude) if face.tilt == _usual_tilt(before) else face.tilt
    return face.with_(azimuth=_to_equator(latitude), tilt=tilt)


def _usual_tilt(latitude: float) -> float:
    """Roofs are flatter where the sun stands high and no snow has to slide: common practice, no source [degrees]."""
    return min(max(5.0 * round(abs(latitude) / 5.0), 10.0), 30.0)


def _to_equator(latitude: float) -> float:
    return 180.0 if latitude >= 0 else 0.0
