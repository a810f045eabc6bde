"""What an item of equipment looks like as curves: a module in cold and heat, an inverter over its load, a battery."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from calm_relay.job.equipment import Inverter, Microinverter, Module, Optimiser, Pack
from calm_relay.planning.common.amounts import degrees_text
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.equipment.equipment import loss_curve

COLD_C, HOT_C = -10.0, 70.0


@dataclass(frozen=True)
class Curve:
    """A line with its words; `weight` is "main", "cold", "hot" or "quiet"."""

    words: str
    x: np.ndarray
    y: np.ndarray
    weight: str = "main"


@dataclass(frozen=True)
class Span:
    """A range along the x axis with its words: a voltage window, a limit."""

    words: str
    low: float
    high: float


@dataclass(frozen=True)
class ItemPicture:
    """One chart of an item: title, axes with units, curves, or spans under each other."""

    title: str
    x_label: str
    y_label: str
    curves: tuple[Curve, ...] = ()
    spans: tuple[Span, ...] = ()
    # Where the words of the curves leave these free, as shares of the axes.
    words_at: tuple[float, float] = (0.45, 0.35)


def pictures_of(item: Any) -> tuple[ItemPicture, ...]:
    """The charts that show what is typed of an item."""
    if isinstance(item, Module):
        return (_module(item),)
    if isinstance(item, Pack):
        return _voltage(item), _life(item)
    if isinstance(item, Optimiser):
        return (
            _spans(
                "Voltage of the module at its input", (("MPPT", item.mppt_low_v, item.mppt_high_v),), item.max_v
            ),
        )
    if isinstance(item, Microinverter):
        windows = (("MPPT", item.mppt_low_v, item.mppt_high_v),)
        return *_efficiency(item.inverter(1)), _spans("Voltage of the module at its input", windows, item.max_v)
    return _inverter(item)


def current_over_voltage(module: Module, cell_c: float) -> tuple[np.ndarray, np.ndarray]:
    """Current over voltage of a module at 1000 W/m2.

    An explicit curve through Isc, maximum power and Voc: I = Isc (1 - C1 (exp(V / (C2 Voc)) - 1)),
    C2 = (Vmp / Voc - 1) / ln(1 - Imp / Isc), C1 = (1 - Imp / Isc) exp(-Vmp / (C2 Voc)).
    Source: Rauschenbach 1980, Solar Cell Array Design Handbook; from memory.

    Parameters
    ----------
    module : Module
        At standard test conditions.
    cell_c : float
        Cell temperature [degC].

    Returns
    -------
    tuple of ndarray
        Voltages [V] from 0 to Voc and currents [A].
    """
    away = cell_c - 25.0
    voc = module.open_circuit_v * (1.0 + module.voc_per_c * away)
    vmp = module.max_power_v * (1.0 + module.vmp_per_c * away)
    isc = module.short_circuit_a * (1.0 + module.isc_per_c * away)
    power = module.max_power_v * module.max_power_a * (1.0 + module.power_per_c * away)
    imp = min(power / vmp, 0.995 * isc)
    vmp = min(vmp, 0.97 * voc)
    second = (vmp / voc - 1.0) / np.log(1.0 - imp / isc)
    first = (1.0 - imp / isc) * np.exp(-vmp / (second * voc))
    volts = np.concatenate([np.linspace(0.0, 0.7 * voc, 20), np.linspace(0.7 * voc, voc, 60)[1:]])
    return volts, np.maximum(isc * (1.0 - first * np.expm1(volts / (second * voc))), 0.0)


def _module(module: Module) -> ItemPicture:
    curves = []
    for cell_c, weight in ((HOT_C, "hot"), (25.0, "main"), (COLD_C, "cold")):
        volts, amps = current_over_voltage(module, cell_c)
        curves.append(Curve(f"{degrees_text(cell_c)}: Voc {volts[-1]:.1f} V", volts, amps, weight))
    title = "Current over voltage: what cold and heat do to it"
    return ItemPicture(title, "voltage, V", "current, A", tuple(curves), words_at=(0.04, 0.62))


def _inverter(item: Inverter) -> tuple[ItemPicture, ...]:
    pictures = list(_efficiency(item))
    if item.pv is not None:
        first = item.pv.trackers[0]
        windows = (
            ("MPPT", first.mppt_low_v, first.mppt_high_v),
            ("full power", first.full_power_low_v, first.mppt_high_v),
        )
        pictures.append(_spans("Voltage at its PV inputs", windows, first.max_v))
    if item.battery is not None:
        window = (("battery", item.battery.low_v, item.battery.high_v),)
        pictures.append(_spans("Voltage at its battery port", window, None))
    return tuple(pictures)


def _efficiency(item: Inverter) -> tuple[ItemPicture, ...]:
    try:
        curve = loss_curve(item)
    except PlanError:
        return ()
    load = np.linspace(0.02, 1.0, 80)
    main = Curve("efficiency", load * item.ac_kw, np.asarray(curve.efficiency(load)) * 100.0)
    return (ItemPicture("Efficiency over load", "AC power, kW", "%", (main,)),)


def _spans(title: str, windows: tuple[tuple[str, float, float], ...], most: float | None) -> ItemPicture:
    spans = [Span(f"{words}: {low:g} to {high:g} V", low, high) for words, low, high in windows]
    if most is not None:
        spans.append(Span(f"never above {most:g} V", 0.0, most))
    return ItemPicture(title, "voltage, V", "", spans=tuple(spans))


def _voltage(pack: Pack) -> ItemPicture:
    known = [(0.0, pack.empty_v), (0.1, pack.knee_low_v), (0.9, pack.knee_high_v), (1.0, pack.full_v)]
    points = [(charge, volts) for charge, volts in known if volts is not None]
    charge, volts = (np.array(column) for column in zip(*points, strict=True))
    power = min(pack.discharge_a * float(volts.mean()) / 1000.0, pack.discharge_c * pack.nominal_kwh)
    words = f"{pack.usable_kwh:.1f} kWh usable, gives {power:.1f} kW"
    return ItemPicture(
        "Voltage over state of charge", "state of charge, %", "V", (Curve(words, charge * 100.0, volts),)
    )


def _life(pack: Pack) -> ItemPicture:
    points = sorted((point.depth, point.cycles) for point in pack.cycle_life)
    depth, cycles = (np.array(column) for column in zip(*points, strict=True))
    words = f"until {pack.cycles_to:.0%} are left"
    return ItemPicture(
        "Cycles over depth", "depth of discharge, %", "cycles", (Curve(words, depth * 100.0, cycles),),
        words_at=(0.5, 0.9),
    )  # fmt: skip
