"""The battery's power against the evening, and its energy against the charge window."""

from collections.abc import Callable
from dataclasses import replace
from math import ceil
from typing import Any

from calm_relay.job.base import minutes_of
from calm_relay.job.control import GridCharge
from calm_relay.job.equipment import Inverter, by_price
from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.architecture.refusals import battery_refusals
from calm_relay.planning.architecture.unbalance import sets_apart
from calm_relay.planning.common.amounts import in_pair
from calm_relay.planning.equipment.bank import Bank, charge_dc_kw, discharge_ac_kw
from calm_relay.planning.findings.base import Drawn, Finding, Mend, Severity, Subject, grid_check, judged
from calm_relay.planning.strings.stringing import hard_refusals

# Below it nobody buys a stronger unit for the evening's sake.
SMALL_KWH = 5.0
# What is that much more power is worth another unit.
CLEARLY = 1.05


@grid_check
def check_evening_power(subject: Subject) -> list[Finding]:
    """A battery that is too weak for the evening lets the grid serve the peak while it is still full."""
    converter, limit = subject.design.battery_converter, subject.outcome.limit
    if converter is None or limit is None:
        return []
    demand = subject.context.demand
    peak_kw, power_kw = demand.evening_peak_kw, limit.power_kw
    when = demand.evening_peak_at.astype(object)
    power, peak = in_pair(power_kw, peak_kw)
    opening = f"The worst evening half hour asks {peak} kW ({when:%-d %b, %H:%M})"
    gives = "gives" if limit.batteries == 1 else "give"
    if power_kw >= peak_kw:
        sentence = f"{opening}; {limit.giver} {gives} {power} kW."
        mends: tuple[Mend, ...] = ()
        severity = Severity.OK
    else:
        rest = f"{limit.imported_kwh:,.0f} kWh" if limit.imported_kwh >= 1.0 else "less than a kWh"
        sentence = (
            f"{opening}; {limit.giver} {gives} {power} kW, limited by the {limit.limited_by}. "
            f"The grid gives the rest: {rest} a year while charge is left."
        )
        much = limit.imported_kwh >= SMALL_KWH
        severity, mends = (Severity.CHECK, stronger(subject, converter)) if much else (Severity.OK, ())
    return [
        judged(
            severity,
            "evening power",
            "Battery",
            "battery",
            sentence,
            reading=(power_kw, peak_kw, "kW"),
            rule="simulated year",
            mends=mends,
        )
    ]


def stronger(subject: Drawn, converter: Converter, *, islanded: bool = False) -> tuple[Mend, ...]:
    """The smallest steps that give clearly more power: one more pack, and the next converter.

    `islanded` asks for what it gives when it forms a grid.
    """

    def gives_kw(bank: Bank, inverter: Inverter) -> float:
        most = discharge_ac_kw(bank, inverter)[0]
        if not islanded:
            return most
        return min(most, inverter.backup.continuous_kw) if inverter.backup is not None else 0.0

    bank = converter.bank
    enough_kw = gives_kw(bank, converter.inverter) * CLEARLY
    mends = []
    one_more = more_packs(subject, converter, bank.count + 1)
    if one_more is not None and gives_kw(replace(bank, count=bank.count + 1), converter.inverter) > enough_kw:
        mends.append(one_more)
    mend = stronger_inverter(subject, converter, lambda item: gives_kw(bank, item) > enough_kw)
    return tuple(mends + ([mend] if mend else []))


def is_the_job_s(subject: Drawn, converter: Converter) -> bool:
    """Whether a unit carries the battery that the job states, and not one that its architecture brings along."""
    return not subject.design.by_clock and converter.bank.pack.key == subject.job.battery.pack


def more_packs(subject: Drawn, converter: Converter, wanted: int) -> Mend | None:
    """A mend that takes so many of the packs, or the most that fit; None where no more of them do."""
    bank, battery = converter.bank, subject.job.battery
    if (
        not (converter.is_new and converter.battery_is_new)
        or converter.added
        or not is_the_job_s(subject, converter)
    ):
        return None
    if bank.count != battery.count:
        return None
    fitting = (
        count
        for count in range(min(wanted, bank.pack.count_max), bank.count, -1)
        if not battery_refusals(replace(bank, count=count), converter.inverter, subject.job)
    )
    most = next(fitting, None)
    if most is None:
        return None
    return Mend(f"Use {most} × {bank.pack.name}", lambda job: job.with_(battery=job.battery.with_(count=most)))


def more_units(subject: Drawn, converter: Converter, needed: int) -> Mend | None:
    """A mend that puts so many units side by side; None where the maker does not allow them, or as many stand."""
    fits = converter.bank.units < needed <= converter.inverter.units_max
    if not fits or not converter.is_new or not is_the_job_s(subject, converter):
        return None
    if subject.context.bank.units != converter.bank.units:
        return None
    set_of_three = converter.inverter.phase_set and subject.job.supply.phases == "three" and needed % 3 == 0
    how = f", {needed // 3} on each phase" if set_of_three else " side by side"
    return Mend(f"{needed} units{how}", lambda job: job.with_(battery=job.battery.with_(units=needed)))


def on_all_phases(subject: Drawn, converter: Converter) -> tuple[Mend, ...]:
    """The smallest steps from a unit on one phase of three to all of them: one a phase, and a unit of three phases."""
    unit, units = converter.inverter, converter.bank.units
    service = subject.job.supply.phases
    one_each = (
        more_units(subject, converter, units - units % 3 + 3) if unit.phase_set and service == "three" else None
    )
    of_three = stronger_inverter(
        subject, converter, lambda item: item.phases == service and item.outage_output.continuous_kw > 0
    )
    return tuple(mend for mend in (one_each, of_three) if mend is not None)


def stronger_inverter(subject: Drawn, converter: Converter, enough: Callable[..., Any]) -> Mend | None:
    """A mend that takes the cheapest converter of the same kind that is enough; None when there is none."""
    if not converter.is_new or not is_the_job_s(subject, converter):
        return None
    field = "battery_inverter" if converter.inverter.pv is None else "hybrid"
    survey = subject.context.survey
    fitting = []
    for item in subject.context.equipment.on_offer.inverters:
        if item.battery is None or (item.pv is None) != (converter.inverter.pv is None):
            continue
        if item.charge_controllers != converter.inverter.charge_controllers:
            continue
        if item.key in (converter.inverter.key, getattr(subject.job.battery, field)):
            continue
        # More power on one phase is no mend for a house that has three.
        if item.phases not in (converter.inverter.phases, subject.job.supply.phases):
            continue
        if battery_refusals(converter.bank, item, subject.job) or not enough(item):
            continue
        if sets_apart(subject.context, subject.design, converter, item):
            continue
        if converter.hung:
            strings = survey.lay(item, converter.hung)
            if hard_refusals(strings, survey.temperatures, survey.site_limit):
                continue
        fitting.append(item)
    if not fitting:
        return None
    taken = min(fitting, key=by_price)
    return Mend(f"Take the {taken.name}", lambda job: job.with_(battery=job.battery.with_(**{field: taken.key})))


@grid_check
def check_charge_window(subject: Subject) -> list[Finding]:
    """The cheap window must be long enough, at the real charge rate, for the energy it is meant to bring."""
    converter, charge = subject.design.battery_converter, subject.job.battery.first_window
    if (
        converter is None
        or charge is None
        or not converter.is_new
        or not converter.battery_is_new
        or subject.design.by_clock
    ):
        return []
    battery = subject.job.battery
    minutes = (minutes_of(charge.end) - minutes_of(charge.start)) % 1440
    rate_kw, limited_by = charge_dc_kw(converter.bank, converter.inverter, charge.limit_kw)
    own_kw, _ = charge_dc_kw(converter.bank, converter.inverter)
    into = converter.bank.pack.round_trip**0.5
    gain_kwh = rate_kw * into * minutes / 60
    need_kwh = converter.bank.usable_kwh * max(0.0, charge.target - battery.reserve)
    opening = (
        f"Window {charge.start} to {charge.end}: {minutes / 60:g} h × {rate_kw:.1f} kW brings {gain_kwh:.1f} kWh"
    )
    if gain_kwh >= need_kwh:
        sentence = f"{opening}; from the reserve to the target takes {need_kwh:.1f} kWh."
        mends: tuple[Mend, ...] = ()
        severity = Severity.OK
    else:
        level = charge.target - gain_kwh / converter.bank.usable_kwh
        sentence = (
            f"{opening}, {need_kwh - gain_kwh:.1f} kWh short ({limited_by}): it reaches {charge.target:.0%} only "
            f"from above {level:.0%}."
        )
        severity = Severity.CHECK
        mends = _longer(charge, minutes, need_kwh / (rate_kw * into) if rate_kw > 0 else 0.0)
        mends += _faster(charge, own_kw, into, minutes, need_kwh)
    return [
        judged(
            severity,
            "charge window",
            "Battery",
            "battery.charge_windows.0",
            sentence,
            reading=(gain_kwh, need_kwh, "kWh"),
            rule="charge rate of battery and inverter, datasheets",
            mends=mends,
        )
    ]


def _longer(charge: GridCharge, minutes: int, hours: float) -> tuple[Mend, ...]:
    wanted = ceil(hours * 4) * 15
    if not minutes < wanted < 1440:
        return ()
    start = (minutes_of(charge.end) - wanted) % 1440
    clock = f"{start // 60:02d}:{start % 60:02d}"

    def apply(job: Job) -> Job:
        return job.with_(battery=job.battery.with_first_window(charge.with_(start=clock)))

    return (Mend(f"Start at {clock}", apply),)


def _faster(charge: GridCharge, own_kw: float, into: float, minutes: int, need_kwh: float) -> tuple[Mend, ...]:
    if charge.limit_kw is None or own_kw * into * minutes / 60 < need_kwh:
        return ()

    def apply(job: Job) -> Job:
        return job.with_(battery=job.battery.with_first_window(charge.with_(limit_kw=None)))

    return (Mend("Lift the window's power limit", apply),)
