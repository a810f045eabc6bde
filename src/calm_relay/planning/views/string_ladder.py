"""The voltages of an input's strings over all temperatures, against every limit they meet."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from calm_relay.job.equipment import ISC_FACTOR
from calm_relay.physics.iv_curve import string_current
from calm_relay.planning.architecture.design import Converter, Survey
from calm_relay.planning.common.amounts import degrees_text
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.strings.limits import (
    COLD,
    COLD_BY_TABLE,
    FULL_POWER,
    HOT,
    START,
    TRACKING_END,
)
from calm_relay.planning.strings.shared_input import run_points
from calm_relay.planning.strings.stringing import Input
from calm_relay.planning.verdict.option import Option, RefusedOption


@dataclass(frozen=True)
class Mark:
    """A voltage on the ladder: what it is, in many words and in few, and whether passing it stops the string."""

    volts: float
    label: str
    short: str
    hard: bool


@dataclass(frozen=True, eq=False)
class Ladder:
    """One input: open and working voltage of its strings over cell temperature, and the marks beside them.

    `head` is what it is called: an input, or each of so many microinverters.
    `cells_c` runs from the coldest to the hottest cell; `fits` says whether every hard check passes.
    """

    converter: int
    number: int
    head: str
    title: str
    strings: tuple[tuple[str, int], ...]
    cells_c: np.ndarray
    open_v: np.ndarray
    working_v: np.ndarray
    marks: tuple[Mark, ...]
    top_v: float
    amps: str
    fits: bool


def ladders_of(option: Option | RefusedOption, only: int | None = None) -> tuple[Ladder, ...]:
    """A ladder for every tracker input of the option's inverters, or of one, those without strings among them."""
    result = []
    survey = option.context.survey
    for converter_number, converter in enumerate(option.design.converters if isinstance(option, Option) else ()):
        if not converter.has_strings or converter.inverter.pv is None or only not in (None, converter_number):
            continue
        used = {item.number: item for item in converter.stringing.inputs}
        for number, tracker in enumerate(converter.inverter.pv_side.trackers, 1):
            item = used.get(number, Input(number, tracker, ()))
            result.append(_ladder(converter, converter_number, item, survey))
    return tuple(result)


def input_name(converter: Converter, number: int) -> str:
    """What an input is called; the first inputs of units side by side come first, then their second."""
    units = converter.bank.units if converter.has_battery else 1
    if units == 1:
        return f"Input {number}"
    return f"Unit {(number - 1) % units + 1}, input {(number - 1) // units + 1}"


def _ladder(converter: Converter, converter_number: int, item: Input, survey: Survey) -> Ladder:
    temperatures, site = survey.temperatures, survey.site_limit
    cells = np.linspace(temperatures.cold_c, max(temperatures.hot_c, temperatures.cold_c + 1), 41)
    lead = max(item.runs, key=lambda run: run.open_v(temperatures.cold_c), default=None)
    tracker = item.tracker
    if lead is None:
        marks = (
            Mark(tracker.max_v, "input ends at", "ends", True),
            Mark(tracker.mppt_low_v, "tracks from", "tracks ≥", True),
        )
        return Ladder(
            converter_number,
            item.number,
            input_name(converter, item.number),
            "free",
            (),
            cells,
            np.zeros(0),
            np.zeros(0),
            marks,
            tracker.max_v * 1.08,
            "",
            True,
        )
    limits = lead.limits(temperatures, site)
    end, low_v = limits[COLD], limits[HOT].limit_v
    lines: list[Mark] = [
        Mark(end.limit_v, end.owner.rsplit(", ", 1)[-1], "ends", True),
        Mark(low_v, "tracks from", "tracks ≥", True),
    ]
    if limits[START].limit_v > low_v:
        lines.append(Mark(limits[START].limit_v, "starts at", "starts", True))
    if limits[FULL_POWER].limit_v > low_v:
        lines.append(Mark(limits[FULL_POWER].limit_v, "full power from", "full ≥", False))
    if limits[TRACKING_END].limit_v < end.limit_v:
        lines.append(Mark(limits[TRACKING_END].limit_v, "tracks to", "tracks ≤", False))
    top_v = max(end.limit_v, end.volts(lead.together))
    if COLD_BY_TABLE in limits:
        table_v = limits[COLD_BY_TABLE].volts(lead.together)
        lines.append(Mark(table_v, "coldest by table", "table", False))
        top_v = max(top_v, table_v)
    missed: tuple[Any, ...] = (*lead.missed(temperatures, site), *(limit for limit in item.limits if limit.missed))
    fits = not any(limit.severity is Severity.STOP for limit in missed)
    names = " + ".join(dict.fromkeys(run.face.plan.name for run in item.runs))
    units = lead.parallel if converter.micro else 1
    shorted_a = ISC_FACTOR * item.short_circuit_a
    amps = f"{shorted_a / units:.1f} of {tracker.short_circuit_a / units:g} A"
    strings = tuple((run.face.plan.name, run.in_series) for run in item.runs for _ in range(run.parallel))
    if converter.micro:
        strings = strings[:1]
    return Ladder(
        converter_number,
        item.number,
        f"Each of {units}" if converter.micro else input_name(converter, item.number),
        names,
        strings,
        cells,
        np.array([lead.open_v(c) for c in cells]),
        np.array([lead.working_v(c) for c in cells]),
        tuple(lines),
        top_v * 1.08,
        amps,
        fits and not item.is_unequal,
    )


@dataclass(frozen=True, eq=False)
class IvCurve:
    """Current over voltage of all strings of an input in one light [V], [A], and its best point."""

    label: str
    volts: np.ndarray
    amps: np.ndarray
    best_v: float
    best_kw: float


LIGHTS = ((1000.0, None), (800.0, 50.0), (200.0, 25.0))


def iv_curves(option: Option, converter_number: int, input_number: int) -> tuple[IvCurve, ...]:
    """Curves of an input on the coldest bright morning, on an ordinary day and in dull light."""
    stringing = option.design.converters[converter_number].stringing
    item = next((item for item in stringing.inputs if item.number == input_number), None)
    if item is None:
        return ()
    result = []
    for light, cell_c in LIGHTS:
        cell = option.context.temperatures.cold_c if cell_c is None else cell_c
        points = [(run_points(run, light, cell), run.parallel) for run in item.runs]
        volts = np.linspace(0.0, max(p.voc for p, _ in points), 241)
        amps = np.sum([n * string_current(p, volts) for p, n in points], axis=0)
        best = int((volts * amps).argmax())
        label = f"{light:g} W/m², {degrees_text(cell)}"
        result.append(IvCurve(label, volts, amps, float(volts[best]), float(volts[best] * amps[best] / 1000)))
    return tuple(result)
