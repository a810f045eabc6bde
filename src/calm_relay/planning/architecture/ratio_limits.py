"""Every limit on array power over inverter power, and which of them binds."""

from collections.abc import Iterator
from dataclasses import dataclass

from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import Converter, Survey
from calm_relay.planning.common.amounts import degrees_text
from calm_relay.planning.strings.limits import lengths_allowed

TOLERANCE = 1e-6


@dataclass(frozen=True)
class RatioLimit:
    """A limit on array over inverter, whose it is, and whether passing it stops the job."""

    ratio_max: float
    owner: str
    authority: str
    stops: bool


def ratio_limits(converter: Converter, job: Job, survey: Survey) -> list[RatioLimit]:
    """Limits on the array of a unit, the one that binds first."""
    pv, sheet = converter.inverter.pv_side, f"{converter.inverter.name}, datasheet"
    maker_max = pv.ratio_max_with_battery if converter.has_battery else pv.ratio_max
    beside = "with a battery on it" if converter.has_battery else "without a battery"
    limits = [RatioLimit(maker_max, f"the maker {beside}", sheet, True)]
    if pv.ratio_warranty is not None:
        limits.append(RatioLimit(pv.ratio_warranty, "the warranty", sheet, False))
    for rule in job.rules:
        authority = f"{rule.authority}, {rule.clause}, {rule.dated}"
        limits.append(RatioLimit(rule.ratio_max, rule.name, authority, False))
    for held in survey.rules:
        if held.rule.kind == "array ratio" and held.limit > 0:
            limits.append(RatioLimit(held.limit, held.rule.name.lower(), held.authority, False))
    if converter.micro is None:
        limits += _by_strings(converter, survey, sheet)
    return sorted(limits, key=lambda limit: (limit.ratio_max, not limit.stops))


def _by_strings(converter: Converter, survey: Survey, sheet: str) -> Iterator[RatioLimit]:
    """What the inputs could carry with the longest strings of the roof's most frequent module."""
    runs = converter.stringing.runs
    if not runs or any(run.optimiser for run in runs):
        return
    module = max(
        (run.module for run in runs), key=lambda module: sum(r.modules for r in runs if r.module == module)
    )
    cold_c, hot_c = survey.temperatures.cold_c, survey.temperatures.hot_c
    volts_kw = amps_kw = 0.0
    for tracker in converter.inverter.pv_side.trackers:
        lengths = lengths_allowed(module, tracker, cold_c, hot_c, survey.site_limit)
        if not lengths:
            continue
        string_kw = lengths[-1] * module.power_w / 1000.0
        parallel = min(tracker.strings, int(tracker.short_circuit_a / module.short_circuit_a + 1e-9))
        volts_kw += parallel * string_kw
        amps_kw += min(tracker.strings, tracker.usable_a / module.max_power_a) * string_kw
    ac_kw = converter.inverter.ac_kw
    where = f"{sheet}; {module.name}; {degrees_text(cold_c)}"
    if volts_kw > 0:
        yield RatioLimit(volts_kw / ac_kw, f"string voltage at {degrees_text(cold_c)}", where, False)
    if amps_kw > 0:
        yield RatioLimit(amps_kw / ac_kw, "input current", where, False)
