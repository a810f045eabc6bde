"""What a job may draw on beside itself: equipment, climates and packs of rules, handed to a plan once."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Annotated, Any

from pydantic import Field

from calm_relay.job.base import Identifier, Model, Name, NotNegative
from calm_relay.job.carried import named_equipment
from calm_relay.job.country import Country
from calm_relay.job.equipment import KINDS, Catalogue
from calm_relay.job.model import Job
from calm_relay.job.own_figures import OwnFigures
from calm_relay.job.rules import RulePack
from calm_relay.job.tariff import FIGURE_MOST, Costs
from calm_relay.job.wires import WireTables

Light = Annotated[float, Field(ge=0.0, le=12.0)]
Warmth = Annotated[float, Field(ge=-60.0, le=50.0)]
Span = Annotated[float, Field(ge=0.0, le=40.0)]


class Climate(Model):
    """Twelve monthly means from which a year can be made: of a place, or of a kind of climate without a longitude."""

    key: Identifier
    name: Name
    country: str = Field(default="", pattern=r"^([A-Z]{2})?$", description="ISO 3166 code; empty for a kind.")
    latitude: float = Field(ge=-80.0, le=80.0)
    longitude: float | None = Field(default=None, ge=-180.0, le=180.0)
    elevation_m: float = Field(default=0.0, ge=-400.0, le=5000.0, description="Where its temperatures hold.")
    ghi_kwh_per_day: tuple[Light, ...] = Field(min_length=12, max_length=12)
    temp_c: tuple[Warmth, ...] = Field(min_length=12, max_length=12)
    daily_range_c: tuple[Span, ...] = Field(min_length=12, max_length=12)
    wind_mean: NotNegative
    coast: bool = Field(default=False, description="Whether the sea tempers it.")
    coldest_c: float | None = Field(default=None, ge=-70.0, le=40.0, description="Mean of the yearly lowest.")
    hottest_c: float | None = Field(default=None, ge=-20.0, le=60.0, description="Mean of the yearly highest.")


@dataclass(frozen=True, eq=False)
class Library:
    """Equipment, climates by key, packs of regional rules by key, and what is usual in a country by its name.

    `withheld` holds (kind, key) of equipment that is known and not to be proposed: out of stock, or left out; `stock`
    says of own equipment whether it is in stock, on order or discontinued, `orders` its article number and
    its supplier. `costs` is the firm's price list, `own_figures` what it entered of wires, None where it has none;
    `wires` are tables of wires by key.
    """

    catalogue: Catalogue
    climates: Mapping[str, Climate]
    rule_packs: Mapping[str, RulePack]
    countries: Mapping[str, Country] = field(default_factory=dict)
    withheld: frozenset[tuple[str, str]] = frozenset()
    stock: Mapping[tuple[str, str], str] = field(default_factory=dict)
    orders: Mapping[tuple[str, str], tuple[str, str]] = field(default_factory=dict)
    costs: Costs | None = None
    wires: Mapping[str, WireTables] = field(default_factory=dict)
    own_figures: OwnFigures | None = None

    def wires_for(self, job: Job) -> WireTables | None:
        """Tables of wires that the job states or its region goes by; None where there are none."""
        pack = self.rule_packs.get(job.region)
        key = job.wiring.tables or (pack.wires if pack is not None else None)
        found = self.wires.get(key) if key is not None else None
        if found is not None and found.in_feet and (pack is None or pack.wires != found.key):
            # Sizes of wire are taken over by countries that measure in metres.
            found = _in_metres(found)
        own = job.wiring.own_figures
        return found if found is None or own is None else _entered(found, own)

    def in_feet(self, job: Job) -> bool:
        """Whether lengths are told in feet where the job is."""
        tables = self.wires_for(job)
        return tables is not None and tables.in_feet

    def equipment_for(self, job: Job) -> Catalogue:
        """Everything a job may draw on: the catalogue joined with its own equipment."""
        return _joined(self.in_money_of(job), job.own_equipment)

    def in_money_of(self, job: Job) -> Catalogue:
        """The catalogue with the example prices that ship in a job's currency; prices of the firm's own stay."""
        units = job.costs.shipped_prices
        return self.catalogue if units == 1.0 else _in_money(self.catalogue, units, frozenset(self.stock))

    @property
    def on_shelf(self) -> Catalogue:
        """What may be proposed for a job that names nothing yet; of a kind of which all is withheld, everything."""
        offered = _offered(self.catalogue, self.withheld)
        kinds = {kind: getattr(offered, kind) or getattr(self.catalogue, kind) for kind in KINDS}
        return Catalogue.model_construct(None, **kinds)

    def offered_to(self, job: Job) -> Catalogue:
        """What may be proposed for a job: what is not withheld, and whatever the job names or holds itself."""
        used = {(kind, key) for kind, key, _ in named_equipment(job)}
        held = {(kind, item.key) for kind in KINDS for item in getattr(job.own_equipment, kind)}
        return _offered(self.equipment_for(job), self.withheld - used - held)


@lru_cache(maxsize=8)
def _joined(catalogue: Catalogue, own: Catalogue) -> Catalogue:
    return catalogue.joined(own)


@lru_cache(maxsize=8)
def _in_money(catalogue: Catalogue, units: float, own: frozenset[tuple[str, str]]) -> Catalogue:
    def priced(kind: str) -> tuple[Any, ...]:
        return tuple(
            item if (kind, item.key) in own else item.model_copy(update=_times(item, units))
            for item in getattr(catalogue, kind)
        )

    return Catalogue.model_construct(None, **{kind: priced(kind) for kind in KINDS})


def _times(item: Any, units: float) -> dict[str, float]:
    """What an item costs in a currency of which so many units stand for one of its own."""
    return {
        name: min(getattr(item, name) * units, FIGURE_MOST)
        for name in ("price", "stack_price")
        if hasattr(item, name)
    }


@lru_cache(maxsize=8)
def _in_metres(tables: WireTables) -> WireTables:
    return tables.with_(lengths="m")


@lru_cache(maxsize=8)
def _entered(tables: WireTables, own: OwnFigures) -> WireTables:
    return tables.with_own(own)


@lru_cache(maxsize=8)
def _offered(catalogue: Catalogue, withheld: frozenset[tuple[str, str]]) -> Catalogue:
    return catalogue.less(withheld) if withheld else catalogue
