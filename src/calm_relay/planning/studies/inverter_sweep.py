"""What another AC size would make of the same roof, battery and home; and where this one spends its hours."""

from dataclasses import dataclass, replace

import numpy as np

from calm_relay.job.equipment import Inverter
from calm_relay.physics.plant.inputs import run_inputs
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.equipment.equipment import loss_curve
from calm_relay.planning.operation.simulate import bill_of, inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.verdict.option import Option, RefusedOption

SIZES = 40


@dataclass(frozen=True, eq=False)
class InverterSweep:
    """Yearly energies over AC size, every other thing equal; each array has one entry a size [kW], [kWh].

    `given_kwh` is what the inverters of the roof give to the AC bus, `bill` the year's bill, `unit_price` the price of
    such units by the catalogue's of their kind, None where there are fewer than two; `units` are how many they are.
    """

    ac_kw: np.ndarray
    clipped_kwh: np.ndarray
    import_kwh: np.ndarray
    export_kwh: np.ndarray
    idle_kwh: np.ndarray
    given_kwh: np.ndarray
    bill: np.ndarray
    unit_price: np.ndarray | None
    chosen_kw: float
    units: int = 1


@dataclass(frozen=True, eq=False)
class LoadHours:
    """Hours of the year a converter spends giving power, by share of its AC rating, and its efficiency there."""

    edges: np.ndarray
    hours: np.ndarray
    efficiency: np.ndarray
    mean_efficiency: float | None


def sweep_inverter(
    plan: Plan, option: Option | RefusedOption, progress: Progress = unheard
) -> InverterSweep | None:
    """Sizes from a third of the array to one and a half times it; None without a unit that carries the array.

    The size alone is changed: the loss curve and the standby draw grow with the rating, the trackers stay. Where
    several units take the roof's power all of them are changed in the same proportion.
    """
    numbers = _roof_units(option)
    if isinstance(option, RefusedOption) or not numbers:
        return None
    units = [option.design.converters[number] for number in numbers]
    inputs = inputs_of(option.design, plan.job, plan.site, plan.demand)
    chosen = sum(unit.inverter.ac_kw for unit in units)
    array_kw = sum(unit.array_kw for unit in units)
    sizes = np.unique(np.append(np.linspace(array_kw / 3, array_kw * 1.5, SIZES - 1), chosen))
    rows = []
    for done, size in enumerate(sizes):
        progress(done / sizes.size, "Trying converter sizes")
        plant, factor = list(inputs.plant), float(size) / chosen
        for number in numbers:
            part = plant[number]
            rated = part.ac_limit_kw * factor
            plant[number] = replace(
                part, ac_limit_kw=rated, loss_rated_kw=rated, standby_kw=part.standby_kw * factor
            )
        year = run_inputs(replace(inputs, plant=tuple(plant)))
        idle = year.kwh("standby") + sum(
            float(plant[n].loss.k0 * plant[n].ac_limit_kw * (year.of("ac", n) > 0).sum() * year.step_h)
            for n in numbers
        )
        bill = bill_of(year, plan.job, plan.site)
        energies = year.kwh("clipped"), year.bus_kwh("import"), year.bus_kwh("export"), idle
        rows.append((*energies, sum(year.kwh_out(number) for number in numbers), bill))
    each = [_prices(option, unit, sizes * unit.inverter.ac_kw / chosen) for unit in units]
    known = [prices for prices in each if prices is not None]
    price = np.sum(known, axis=0) if len(known) == len(each) else None
    return InverterSweep(  # type: ignore[call-arg]
        sizes, *np.array(rows).T, price, chosen, len(units)
    )


def _roof_units(option: Option | RefusedOption) -> tuple[int, ...]:
    """Numbers of the units that take the roof's power; none of microinverters, or of an option that is refused."""
    if isinstance(option, RefusedOption):
        return ()
    numbers = option.topology.roof_units
    return () if any(option.design.converters[number].micro for number in numbers) else numbers


def _prices(option: Option, converter: Converter, sizes: np.ndarray) -> np.ndarray | None:
    """Price over size, straight through the catalogue's units of the same kind and phases."""
    like = [
        item
        for item in option.context.equipment.catalogue.inverters
        if item.kind == converter.inverter.kind
        and item.phases == converter.inverter.phases
        and _alike(item, converter.inverter)
    ]
    if len({item.ac_kw for item in like}) < 2:
        return None
    slope, start = np.polyfit([item.ac_kw for item in like], [item.price for item in like], 1)
    return start + slope * sizes


def _alike(item: Inverter, other: Inverter) -> bool:
    """Whether two units take the same packs, or neither takes any."""
    if item.battery is None or other.battery is None:
        return item.battery is other.battery
    return bool(set(item.battery.families) & set(other.battery.families))


def load_hours(option: Option | RefusedOption, bins: int = 20) -> LoadHours | None:
    """Hours at each load of the inverters that carry the array, of all of them together; None without one."""
    if isinstance(option, RefusedOption) or not option.topology.roof_units:
        return None
    year, numbers = option.outcome.year, option.topology.roof_units
    ratings = {number: option.design.converters[number].inverter.ac_kw for number in numbers}
    rated = sum(ratings.values())
    out = sum((np.maximum(year.of("ac", number), 0.0) for number in numbers), np.zeros(year.bus.shape[1])) / rated
    edges = np.linspace(0.0, 1.0, bins + 1)
    counts, _ = np.histogram(out[out > 0], bins=edges)
    middles = (edges[1:] + edges[:-1]) / 2
    given = sum(year.kwh_out(number) for number in numbers)
    lost = sum(year.kwh("inverter", number) for number in numbers)
    curves = [
        np.asarray(loss_curve(option.design.converters[number].inverter).efficiency(middles)) * kw / rated
        for number, kw in ratings.items()
    ]
    return LoadHours(
        edges,
        counts * year.step_h,
        np.sum(curves, axis=0),
        given / (given + lost) if given > 0 else None,
    )


@dataclass(frozen=True, eq=False)
class ClippedDay:
    """The day that clips most, else the best: hours, offer after the trackers, AC output, and the limit [kW]."""

    date: np.datetime64
    hours: np.ndarray
    offered: np.ndarray
    given: np.ndarray
    stored: np.ndarray
    clipped: np.ndarray
    limit_kw: float


def clipped_day(plan: Plan, option: Option | RefusedOption) -> ClippedDay | None:
    """Where the AC limit bites, of all units that take the roof's power together; None without one."""
    if isinstance(option, RefusedOption) or not option.topology.roof_units:
        return None
    year, numbers = option.outcome.year, option.topology.roof_units

    def of(name: str) -> np.ndarray:
        return np.sum([year.of(name, number) for number in numbers], axis=0)

    clipped, offered = of("clipped"), of("pv_dc") - of("tracker")
    per_day = clipped.size // 365
    by_day = clipped.reshape(365, -1).sum(axis=1)
    day = int(by_day.argmax() if by_day.max() > 0 else offered.reshape(365, -1).sum(axis=1).argmax())
    cut = slice(day * per_day, (day + 1) * per_day)
    stored = np.zeros(per_day)
    for number in numbers:
        part = year.plant[number].battery
        if part is not None:
            stored = stored + year.of("charge", number)[cut] / part.dc_dc_efficiency
    return ClippedDay(
        plan.site.calendar.standard[cut][0].astype("datetime64[D]"),
        np.arange(per_day) * year.step_h,
        offered[cut],
        np.sum([np.maximum(year.of("ac", number)[cut], 0.0) for number in numbers], axis=0),
        stored,
        clipped[cut],
        sum(option.design.converters[number].inverter.ac_kw for number in numbers),
    )
