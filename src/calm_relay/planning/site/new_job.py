"""A job begun from a place: what is usual there, assumed until somebody says otherwise."""

from collections.abc import Sequence

from calm_relay.job.country import Country
from calm_relay.job.demand import ShapedDemand
from calm_relay.job.equipment import Pack
from calm_relay.job.library import Library
from calm_relay.job.model import ClimatePreset, Job, PlannedBattery, Purpose, RoofFace, Site, Supply
from calm_relay.job.tariff import Costs, Tariff
from calm_relay.planning.site.climates import nearest_climates

# Where a country is not known: what most of the world has.
ELSEWHERE = Country(
    name="", code="XX", phases="single", volts=230.0, hertz=50, main_fuse_a=40.0, currency="€", region="generic",
    wire_sizes="metric", paper="A4", price=0.25, feed_in=0.05, standing_per_day=0.2,
)  # fmt: skip
ASSUMED = (
    "site.elevation_m",
    "supply.phases",
    "supply.volts",
    "supply.main_fuse_a",
    "tariff.price",
    "tariff.feed_in",
    "tariff.standing_per_day",
    "purposes",
    "battery.pack",
    "battery.count",
    "battery_place",
)
PURPOSES = (("lower_bills", 5), ("self_sufficiency", 3), ("ride_through_outage", 3), ("low_outlay", 2))
# A first battery holds this share of a mean day: common practice, no source.
NIGHT_SHARE = 0.5


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
    usual = library.countries.get(country, ELSEWHERE)
    bare = Site(
        place=place,
        latitude=latitude,
        longitude=longitude,
        time_zone=time_zone,
        weather=ClimatePreset(climate="x"),
    )
    climate = nearest_climates(bare, library)[0].climate
    site = bare.with_(elevation_m=climate.elevation_m, weather=ClimatePreset(climate=climate.key))
    pack = _first_pack(library, usual)
    count = round(yearly_kwh / 365.0 * NIGHT_SHARE / pack.usable_kwh)
    return Job(
        name=name,
        site=site,
        supply=Supply(phases=usual.phases, volts=usual.volts, main_fuse_a=usual.main_fuse_a),
        purposes=tuple(Purpose(kind=kind, weight=weight) for kind, weight in PURPOSES),
        faces=_first_face(modules, library, latitude),
        demand=ShapedDemand(yearly_kwh=yearly_kwh),
        tariff=Tariff(
            currency=usual.currency,
            price=usual.price,
            feed_in=usual.feed_in,
            standing_per_day=usual.standing_per_day,
        ),
        costs=library.costs or Costs(),
        battery=PlannedBattery(pack=pack.key, count=min(max(count, pack.count_min), pack.count_max)),
        region=usual.region if usual.region in library.rule_packs else "generic",
        assumed=ASSUMED if country in library.countries else (*ASSUMED, "region", "tariff.currency"),
    )


def usual_in(country: str, latitude: float, longitude: float, time_zone: str, library: Library) -> str:
    """What a new job assumes at a place, in a sentence."""
    usual = library.countries.get(country, ELSEWHERE)
    site = Site(
        place="", latitude=latitude, longitude=longitude, time_zone=time_zone, weather=ClimatePreset(climate="x")
    )
    match = nearest_climates(site, library)[0]
    phases = {"single": "one phase", "split": "split phase", "three": "three phases"}[usual.phases]
    known = "" if country in library.countries else "Its country is not in the list. "
    return (
        f"{known}Assumed: {phases} of {usual.volts:g} V, {usual.hertz} Hz, main fuse {usual.main_fuse_a:g} A, "
        f"{usual.currency} {usual.price:.2f} a kWh, rules “{_pack_name(usual, library)}”, climate of "
        f"{match.climate.name}, {match.distance_km:,.0f} km away."
    )


def _pack_name(usual: Country, library: Library) -> str:
    pack = library.rule_packs.get(usual.region)
    return pack.name if pack else usual.region


def _first_pack(library: Library, usual: Country) -> Pack:
    """The pack with the cheapest kWh that a battery inverter for the service carries; of any where none does."""
    shelf = library.on_shelf
    units = [item for item in shelf.inverters if item.battery is not None and not item.plug_in]
    own = [item for item in units if item.phases == usual.phases] or units
    families = {family for item in own for family in item.port.families}
    packs = [pack for pack in shelf.packs if not pack.is_lead and pack.expansion_of is None]
    fitting: Sequence[Pack] = [pack for pack in packs if pack.family in families] or packs
    return min(fitting, key=lambda pack: (pack.price <= 0.0, pack.price / pack.usable_kwh, pack.key))


def _first_face(modules: int, library: Library, latitude: float) -> tuple[RoofFace, ...]:
    if modules <= 0:
        return ()
    module = min(
        library.on_shelf.modules, key=lambda item: (item.price <= 0.0, item.price / item.power_w, item.key)
    )
    facing = 180.0 if latitude >= 0 else 0.0
    return (RoofFace(name="Roof", module=module.key, tilt=30.0, azimuth=facing, count=modules, fate="new"),)
