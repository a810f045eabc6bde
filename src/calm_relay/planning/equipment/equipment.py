"""The equipment a job may draw on, looked up by key, with errors that name the field."""

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np

from calm_relay.exchange.array_cache import cached_arrays
from calm_relay.job.equipment import Catalogue, Inverter, Microinverter, Module, Optimiser, Pack
from calm_relay.job.library import Library
from calm_relay.job.model import Job
from calm_relay.physics.conversion import LossCurve, fit_peak_and_weighted
from calm_relay.planning.common.errors import PlanError

CONVERTERS = ("inverters", "microinverters")


@dataclass(frozen=True)
class Equipment:
    """What a job may draw on, looked up by key; `on_offer` of it may be proposed, `library` is where it is from."""

    catalogue: Catalogue
    on_offer: Catalogue
    library: Library = field(compare=False)

    def module(self, key: str, field: str) -> Module:
        """A module by key; `field` is named when there is none."""
        return _find(self.catalogue.modules, key, field, "module")

    def inverter(self, key: str, field: str) -> Inverter:
        """A converter by key; `field` is named when there is none."""
        return _find(self.catalogue.inverters, key, field, "inverter")

    def pack(self, key: str, field: str) -> Pack:
        """A battery pack by key; `field` is named when there is none."""
        return _find(self.catalogue.packs, key, field, "battery pack")

    def under_module(self, key: str, field: str) -> Optimiser | Microinverter:
        """An optimiser or a microinverter by key; `field` is named when there is none."""
        items = (*self.catalogue.optimisers, *self.catalogue.microinverters)
        return _find(items, key, field, "optimiser or microinverter")

    def microinverter(self, key: str, field: str) -> Microinverter:
        """A microinverter by key; `field` is named when there is none."""
        return _find(self.catalogue.microinverters, key, field, "microinverter")


def _find(items: tuple[Any, ...], key: str, field: str, what: str) -> Any:
    for item in items:
        if item.key == key:
            return item
    raise PlanError(
        field,
        f"no {what} has the key {key!r}; add it to the job's own equipment, "
        f"or use one of {', '.join(item.key for item in items)}",
    )


def equipment_of(job: Job, library: Library) -> Equipment:
    """Everything the job may draw on.

    Raises
    ------
    PlanError
        When the job asks for a unit that is not in it, whether an option would use it or not.
    """
    volts, battery = job.supply.volts, job.battery
    made = Equipment(
        _on_volts(library.equipment_for(job), volts), _on_volts(library.offered_to(job), volts), library
    )
    for name in ("battery_inverter", "hybrid", "string_inverter"):
        if (key := getattr(battery, name)) is not None:
            made.inverter(key, f"battery.{name}")
    if battery.microinverter is not None:
        made.microinverter(battery.microinverter, "battery.microinverter")
    return made


@lru_cache(maxsize=8)
def _on_volts(catalogue: Catalogue, volts: float) -> Catalogue:
    """A catalogue with its units as they are on a service's voltage; itself where that is as their datasheets say."""
    kinds = {kind: tuple(item.on_volts(volts) for item in getattr(catalogue, kind)) for kind in CONVERTERS}
    if all(
        new is old
        for kind, items in kinds.items()
        for new, old in zip(items, getattr(catalogue, kind), strict=True)
    ):
        return catalogue
    return catalogue.model_copy(update=kinds)


@lru_cache(maxsize=128)
def loss_curve(inverter: Inverter) -> LossCurve:
    """Loss polynomial of a converter from its peak and weighted efficiency.

    Raises
    ------
    PlanError
        When the two figures contradict each other.
    """
    figures = (inverter.peak_efficiency, inverter.weighted_efficiency, inverter.weighting, inverter.peak_at)

    def fit() -> Any:
        curve = fit_peak_and_weighted(*figures)
        return {"k": np.array([curve.k0, curve.k1, curve.k2])}

    try:
        return LossCurve(*cached_arrays(f"loss curve|1|{figures}", fit, {"k": 3}, small=True)["k"].tolist())
    except ValueError as error:
        raise PlanError(f"own_equipment.inverters.{inverter.key}.weighted_efficiency", str(error)) from None
