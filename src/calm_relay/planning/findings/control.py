"""Control: windows that import by mistake, export from the battery, zero export, shaving, two controllers."""

from collections.abc import Callable
from typing import Any

import numpy as np

from calm_relay.job.control import Control, PriceCharge
from calm_relay.job.field_range import range_of
from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.common.amounts import price_text
from calm_relay.planning.common.joined import counted
from calm_relay.planning.findings.base import (
    Finding,
    Mend,
    Severity,
    Subject,
    advises,
    grid_check,
    judged,
    passes,
    warns,
)
from calm_relay.planning.operation.controls import open_in, waits
from calm_relay.planning.operation.meter_conflict import one_meter, two_metered

SMALL_KWH = 5.0
ENOUGH_DAYS = 350
USUAL_BIAS_W = 30.0
PRACTICE = "common practice, no source"


@advises
@grid_check
def check_target_above_present(subject: Subject) -> list[Finding]:
    """A window with the sun up and a target above the present charge buys at full power, not surplus alone."""
    converter = subject.design.battery_converter
    if converter is None or not converter.battery_moves or subject.design.by_clock:
        return []
    findings = []
    year = subject.outcome.year
    number = subject.design.converters.index(converter)
    sunny = ~subject.site.night
    for place, window in enumerate(subject.job.battery.charge_windows):
        whole = open_in(subject.site.calendar, window)
        here = np.flatnonzero(whole & sunny)
        if here.size < 0.5 * whole.sum():
            continue
        drawn = np.maximum(-year.of("ac", number)[here], 0.0)
        imported = np.minimum(drawn, year.at_bus("import")[here])
        kwh = float(imported.sum() * year.step_h)
        if kwh < SMALL_KWH:
            continue
        most = float(imported.max())
        findings.append(
            warns(
                "target above present",
                "Battery",
                f"battery.charge_windows.{place}.target",
                f"Window {window.summary} lies in the sun hours with a target of {window.target:.0%}: whenever the "
                f"battery holds less, it charges from the grid at up to {most:.1f} kW, {kwh:,.0f} kWh a year. "
                "If surplus alone was meant, no window is needed.",
                reading=(kwh, 0.0, "kWh"),
                rule="simulated year",
                mends=(Mend("Fill from surplus alone", _without_window(place)),),
            )
        )
    return findings


@advises
@grid_check
def check_by_price(subject: Subject) -> list[Finding]:
    """A tariff with a price for each hour is worth a battery that knows it; one without any differences is not."""
    job, converter = subject.job, subject.design.battery_converter
    hourly, by_price = job.tariff.hourly, job.control.by_price
    if converter is None or not converter.battery_moves or subject.design.by_clock:
        return []
    findings = []
    if hourly is not None and hourly.days < ENOUGH_DAYS:
        findings.append(
            warns(
                "hourly prices",
                "Grid",
                "tariff.hourly",
                f"{hourly.origin} holds prices of {counted(hourly.days, 'day')}; the others are taken from the same "
                "weekdays of the nearest season.",
                reading=(float(hourly.days), 365.0, "days"),
                rule="the job's tariff",
            )
        )
    if hourly is not None and by_price is None and not job.battery.charge_windows:
        findings.append(
            warns(
                "charge by price",
                "Battery",
                "control.by_price",
                f"The tariff has a spot price for each hour, {job.tariff.currency} {price_text(hourly.spread)} a kWh "
                "from a day’s cheapest to its dearest four, and the battery goes by the sun alone.",
                reading=(hourly.spread, 0.0, f"{job.tariff.currency} a kWh"),
                rule=PRACTICE,
                mends=(Mend("Charge it in the cheapest hours", _by_price(PriceCharge())),),
            )
        )
    if by_price is not None and hourly is None and not job.tariff.windows:
        findings.append(
            warns(
                "charge by price",
                "Battery",
                "control.by_price",
                "It is to be charged when energy is cheap, and the tariff has one price for all hours.",
                rule="the job's tariff",
                mends=(Mend("Charge it from surplus alone", _by_price(None)),),
            )
        )
    return findings


def _by_price(wanted: PriceCharge | None) -> Callable[..., Any]:
    return lambda job: job.with_(control=job.control.with_(by_price=wanted))


def _without_window(place: int) -> Callable[..., Any]:
    def apply(job: Job) -> Job:
        windows = job.battery.charge_windows
        return job.with_(battery=job.battery.with_(charge_windows=(*windows[:place], *windows[place + 1 :])))

    return apply


def _let_wait(converter: Converter, job: Job) -> Mend:
    """Has a battery wait for the others."""
    old = converter.battery_surveyed
    if converter.is_new or old is None:
        return Mend("Let the new battery wait", lambda job: job.with_(battery=job.battery.with_(waits=True)))
    several = len(job.existing_batteries) > 1
    number = job.existing_batteries.index(old)
    return Mend(
        f"Let {old.name} wait" if several else "Let the old battery wait",
        lambda job: job.with_existing_battery(number, waits=True),
    )


@advises
@grid_check
def check_two_controllers(subject: Subject) -> list[Finding]:
    """Two batteries that each chase the same meter: one discharges into the other until somebody waits."""
    rivals = two_metered(subject.design, subject.job)
    seen = one_meter(subject.design, subject.outcome, subject.job)
    if rivals is None or seen is None:
        return []
    job = subject.job
    names = [converter.name for converter in rivals]
    if waits(rivals[1], job):
        sentence = f"{names[0]} goes first, {names[1]} waits: the two batteries do not work against each other."
        return [passes("two controllers", "Battery", "battery.waits", sentence, rule=PRACTICE)]
    sentence = (
        f"{names[0]} and {names[1]} each chase the same meter and nobody has said who goes first: in "
        f"{seen.hours * 60:.0f} minutes of an evening {seen.fault.circling_kwh:.1f} kWh go round from one battery "
        f"into the other, {seen.lost_kwh:.2f} kWh of it lost. The year here is simulated with an order."
    )
    mends = tuple(_let_wait(converter, job) for converter in reversed(rivals))
    return [
        warns(
            "two controllers",
            "Battery",
            "battery.waits",
            sentence,
            reading=(seen.fault.circling_kwh, 0.0, "kWh"),
            rule="two controllers simulated second by second",
            mends=mends,
        )
    ]


@grid_check
def check_selling(subject: Subject) -> list[Finding]:
    """Stored energy is exported only where that is allowed."""
    job = subject.job
    if not job.control.export_windows or subject.design.battery_converter is None:
        return []
    if job.tariff.stored_export:
        return []
    windows = ", ".join(window.summary for window in job.control.export_windows)
    return [
        warns(
            "export from the battery",
            "Grid",
            "control.export_windows",
            f"The window {windows} for export is left out: this contract is not held to allow energy from the "
            "battery to be exported. Ask the network operator and the retailer.",
            rule="the contract, checked locally",
            mends=(
                Mend(
                    "The contract allows it",
                    lambda job: job.with_(tariff=job.tariff.with_(stored_export=True)),
                ),
                Mend(
                    "Export no stored energy", lambda job: job.with_(control=job.control.with_(export_windows=()))
                ),
            ),
        )
    ]


@grid_check
def check_zero_export(subject: Subject) -> list[Finding]:
    """A zero export set to exactly nothing leaks; a small import bias is set on purpose."""
    job = subject.job
    if job.tariff.export_limit_kw != 0 or not any(converter.has_array for converter in subject.design.converters):
        return []
    bias_w = job.control.import_bias_w
    if bias_w > 0:
        cost = bias_w / 1000.0 * 8760 * job.tariff.mean_price
        sentence = (
            f"Zero export leaves {bias_w:g} W of import standing, so that nothing leaks out; that costs at most "
            f"{job.tariff.currency} {cost:,.0f} a year."
        )
        return [passes("zero export", "Grid", "control.import_bias_w", sentence, rule=PRACTICE)]
    return [
        warns(
            "zero export",
            "Grid",
            "control.import_bias_w",
            "Zero export is set to exactly nothing: while the control follows the load some leaks out. Leave a "
            "small import standing.",
            reading=(0.0, USUAL_BIAS_W, "W"),
            rule=PRACTICE,
            mends=(
                Mend(
                    f"Leave {USUAL_BIAS_W:g} W of import",
                    lambda job: job.with_(control=job.control.with_(import_bias_w=USUAL_BIAS_W)),
                ),
            ),
        )
    ]


@grid_check
def check_shaving(subject: Subject) -> list[Finding]:
    """A peak-shaving threshold that the battery cannot hold all year."""
    threshold = subject.job.control.shave_above_kw
    converter = subject.design.battery_converter
    if threshold is None or converter is None or not converter.battery_moves:
        return []
    imported = subject.outcome.year.at_bus("import")
    worst = float(imported.max())
    over = int((imported.reshape(365, -1).max(axis=1) > threshold + 0.05).sum())
    if not over:
        sentence = f"Import stays under {threshold:g} kW all year: the highest is {worst:.1f} kW."
        mends: tuple[Mend, ...] = ()
        severity = Severity.OK
    else:
        sentence = (
            f"Import passes {threshold:g} kW on {counted(over, 'day')}, {worst:.1f} kW at worst: "
            "the battery is empty or weak."
        )
        wanted = float(np.ceil(worst * 2) / 2)
        severity = Severity.CHECK
        shave = Mend(
            f"Shave above {wanted:g} kW", lambda job: job.with_(control=job.control.with_(shave_above_kw=wanted))
        )
        mends = (shave,) if range_of(Control, "shave_above_kw").holds(wanted) else ()
    return [
        judged(
            severity,
            "peak shaving",
            "Grid",
            "control.shave_above_kw",
            sentence,
            reading=(worst, threshold, "kW"),
            rule="simulated year",
            mends=mends,
        )
    ]
