"""Equipment of one's own: an item with its stock, its price's date and supplier, and where each value comes from."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final, Generic, Literal, Self, TypeVar

from pydantic import Field, model_validator

from calm_relay.job.base import Line, Model
from calm_relay.job.equipment import (
    KINDS,
    Catalogue,
    Inverter,
    Microinverter,
    Module,
    Optimiser,
    Pack,
)

FORMAT: Final = "calm-relay-equipment"
SCHEMA_VERSION: Final = 1
Item = TypeVar("Item", Module, Inverter, Pack, Optimiser, Microinverter)
Origin = Literal["datasheet", "measured", "assumed"]
Stock = Literal["in stock", "on order", "discontinued"]
Day = r"^(\d{4}-\d{2}-\d{2})?$"


class ValueSource(Model):
    """Where a value comes from."""

    path: Line = Field(max_length=80, description="The value's field, such as battery.low_v.")
    origin: Origin
    dated: str = Field(default="", pattern=Day, description="YYYY-MM-DD.")
    note: Line = Field(default="", max_length=200, description="Such as the file and page of a datasheet.")


class OwnItem(Model, Generic[Item]):
    """An item of the personal library."""

    item: Item
    stock: Stock = Field(default="in stock", title="Stock")
    article: Line = Field(default="", max_length=60, title="Article number")
    supplier: Line = Field(default="", max_length=80, title="Supplier")
    priced: str = Field(default="", pattern=Day, title="Price of", description="YYYY-MM-DD.")
    sources: tuple[ValueSource, ...] = Field(default=(), max_length=200)

    @property
    def key(self) -> str:
        """By which jobs name it."""
        return self.item.key


class _OwnFile(Model, Generic[Item]):
    """One kind of the personal library, as a file."""

    format: Literal["calm-relay-equipment"] = FORMAT
    schema_version: Literal[1] = SCHEMA_VERSION
    kind: Line = ""
    items: tuple[OwnItem[Item], ...] = Field(default=(), max_length=20_000)

    @model_validator(mode="after")
    def _keys_are_single(self) -> Self:
        seen: set[str] = set()
        for number, own in enumerate(self.items):
            if own.key in seen:
                raise ValueError(f"items.{number}.item.key: {own.key!r} stands twice; wanted each once")
            seen.add(own.key)
        return self


class OwnModules(_OwnFile[Module]):
    """The modules of a personal library."""

    kind: Literal["modules"] = "modules"


class OwnInverters(_OwnFile[Inverter]):
    """The inverters of a personal library."""

    kind: Literal["inverters"] = "inverters"


class OwnPacks(_OwnFile[Pack]):
    """The batteries of a personal library."""

    kind: Literal["packs"] = "packs"


class OwnOptimisers(_OwnFile[Optimiser]):
    """The optimisers of a personal library."""

    kind: Literal["optimisers"] = "optimisers"


class OwnMicroinverters(_OwnFile[Microinverter]):
    """The microinverters of a personal library."""

    kind: Literal["microinverters"] = "microinverters"


FILES: dict[str, type[_OwnFile[Any]]] = {
    "modules": OwnModules,
    "inverters": OwnInverters,
    "packs": OwnPacks,
    "optimisers": OwnOptimisers,
    "microinverters": OwnMicroinverters,
}
ITEMS: dict[str, type[OwnItem[Any]]] = {
    "modules": OwnItem[Module],
    "inverters": OwnItem[Inverter],
    "packs": OwnItem[Pack],
    "optimisers": OwnItem[Optimiser],
    "microinverters": OwnItem[Microinverter],
}


@dataclass(frozen=True)
class OwnEquipment:
    """The personal library: own items by kind, and whether the shipped examples are left out of what is proposed."""

    items: Mapping[str, tuple[OwnItem[Any], ...]] = field(default_factory=dict)
    without_examples: bool = False

    def of(self, kind: str) -> tuple[OwnItem[Any], ...]:
        """Own items of a kind."""
        return self.items.get(kind, ())

    def catalogue(self) -> Catalogue:
        """The items alone."""
        items: dict[str, Any] = {kind: tuple(own.item for own in self.of(kind)) for kind in KINDS}
        return Catalogue.model_construct(None, **items)

    def stock(self) -> dict[tuple[str, str], Stock]:
        """Whether each own item, by kind and key, is in stock, on order or discontinued."""
        return {(kind, own.key): own.stock for kind in KINDS for own in self.of(kind)}

    def orders(self) -> dict[tuple[str, str], tuple[str, str]]:
        """Article number and supplier of each own item that states one, by kind and key."""
        return {
            (kind, own.key): (own.article, own.supplier)
            for kind in KINDS
            for own in self.of(kind)
            if own.article or own.supplier
        }

    def withheld(
        self, shipped: Catalogue, own: Mapping[tuple[str, str], Stock] | None = None
    ) -> frozenset[tuple[str, str]]:
        """What is not to be proposed: own items that are not in stock, and the examples where they are left out.

        `own` is `stock` where it is known already.
        """
        own = self.stock() if own is None else own
        out = {named for named, stock in own.items() if stock != "in stock"}
        if self.without_examples:
            out |= {
                (kind, item.key)
                for kind in KINDS
                for item in getattr(shipped, kind)
                if (kind, item.key) not in own
            }
        return frozenset(out)
