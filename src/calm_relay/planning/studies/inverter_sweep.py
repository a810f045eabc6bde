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

    `given_kwh` is what the inverter gives to the AC bus, `bill` the year's bill, `unit_price` the price of such a unit
    by the catalogue's units of its kind, None where there are fewer than two.
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
    """Sizes from a third of the array to one and a half times it; None without one unit that carries the array.

    The size alone is changed: the loss curve and the standby draw grow with the rating, the trackers stay.
    """
    if isinstance(option, RefusedOption):
        return None
    converter = option.design.pv_converter
    if converter is None or converter.micro or not converter.has_array:
        return None
    number = option.design.converters.index(converter)
    inputs = inputs_of(option.design, plan.job, plan.site, plan.demand)
    part = inputs.plant[number]
    chosen = converter.inverter.ac_kw
    sizes = np.unique(np.append(np.linspace(converter.array_kw / 3, converter.array_kw * 1.5, SIZES - 1), chosen))
    rows = []
    for done, size in enumerate(sizes):
        progress(done / sizes.size, "Trying converter sizes")
        scaled = replace(
            part, ac_limit_kw=float(size), loss_rated_kw=float(size), standby_kw=part.standby_kw * size / chosen
        )
        plant = (*inputs.plant[:number], scaled, *inputs.plant[number + 1 :])
        year = run_inputs(replace(inputs, plant=plant))
        idle = year.kwh("standby") + float(part.loss.k0 * size * (year.of("ac", number) > 0).sum() * year.step_h)
        bill = bill_of(year, plan.job, plan.site)
        energies = year.kwh("clipped"), year.bus_kwh("import"), year.bus_kwh("export"), idle
        rows.append((*energies, year.kwh_out(number), bill))
    return InverterSweep(  # type: ignore[call-arg]
        sizes, *np.array(rows).T, _prices(option, converter, sizes), chosen
    )


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
    """Hours at each load of the inverter that carries the array; None without one."""
    if isinstance(option, RefusedOption):
        return None
    converter = option.design.pv_converter
    if converter is None:
        return None
    year = option.outcome.year
    number = option.design.converters.index(converter)
    out = np.maximum(year.of("ac", number), 0.0) / converter.inverter.ac_kw
    edges = np.linspace(0.0, 1.0, bins + 1)
    counts, _ = np.histogram(out[out > 0], bins=edges)
    middles = (edges[1:] + edges[:-1]) / 2
    given, lost = year.kwh_out(number), year.kwh("inverter", number)
    return LoadHours(
        edges,
        counts * year.step_h,
        np.asarray(loss_curve(converter.inverter).efficiency(middles)),
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
    """Where the AC limit bites; None without a unit that carries the array."""
    if isinstance(option, RefusedOption):
        return None
    converter = option.design.pv_converter
    if converter is None:
        return None
    year = option.outcome.year
    number = option.design.converters.index(converter)
    clipped, offered = year.of("clipped", number), year.of("pv_dc", number) - year.of("tracker", number)
    per_day = clipped.size // 365
    by_day = clipped.reshape(365, -1).sum(axis=1)
    day = int(by_day.argmax() if by_day.max() > 0 else offered.reshape(365, -1).sum(axis=1).argmax())
    cut = slice(day * per_day, (day + 1) * per_day)
    part = year.plant[number].battery
    stored = year.of("charge", number)[cut] / part.dc_dc_efficiency if part else np.zeros(per_day)
    return ClippedDay(
        plan.site.calendar.standard[cut][0].astype("datetime64[D]"),
        np.arange(per_day) * year.step_h,
        offered[cut],
        np.maximum(year.of("ac", number)[cut], 0.0),
        stored,
        clipped[cut],
        converter.inverter.ac_kw,
    )
