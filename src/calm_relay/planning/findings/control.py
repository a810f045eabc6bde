"""What the store is told: windows that buy by mistake, selling, zero export, shaving, two stores on one meter."""

import numpy as np

from calm_relay.planning.findings.base import Finding, Mend, Severity, street_check
from calm_relay.planning.operation.controls import open_in
from calm_relay.planning.operation.meter_conflict import one_meter, two_metered

SMALL_KWH = 5.0
USUAL_BIAS_W = 30.0
PRACTICE = "common practice, no source"


@street_check
def check_target_above_present(subject):
    """A window with the sun up and a target above the present charge buys at full power, not surplus alone."""
    box = subject.design.store_box
    if box is None or not box.store_is_new or subject.design.by_clock:
        return []
    found = []
    year = subject.outcome.year
    number = subject.design.boxes.index(box)
    sunny = ~subject.site.dark
    for place, window in enumerate(subject.job.store.charge_windows):
        whole = open_in(subject.site.calendar, window)
        here = np.flatnonzero(whole & sunny)
        if here.size < 0.5 * whole.sum():
            continue
        drawn = np.maximum(-year.of("ac", number)[here], 0.0)
        bought = np.minimum(drawn, year.at_bus("import")[here])
        kwh = float(bought.sum() * year.step_h)
        if kwh < SMALL_KWH:
            continue
        most = float(bought.max())
        found.append(
            Finding(
                "target above present",
                Severity.WATCH,
                "Store",
                f"store.charge_windows.{place}.target",
                f"Window {window.told} lies in the sun hours with a target of {window.target:.0%}: whenever the "
                f"store holds less, it buys from the street at up to {most:.1f} kW, {kwh:,.0f} kWh a year. "
                "If surplus alone was meant, no window is needed.",
                kwh,
                0.0,
                "kWh",
                "simulated year",
                (Mend("Fill from surplus alone", _without_window(place)),),
            )
        )
    return found


def _without_window(place):
    def apply(job):
        windows = job.store.charge_windows
        return job.with_(store=job.store.with_(charge_windows=(*windows[:place], *windows[place + 1 :])))

    return apply


@street_check
def check_two_controllers(subject):
    """Two stores that each chase the same meter: one discharges into the other until somebody waits."""
    if two_metered(subject.design) is None:
        return []
    job = subject.job
    waits = job.store.waits or bool(job.battery and job.battery.waits)
    names = [box.converter.name for box in two_metered(subject.design)]
    if waits:
        later, first = (names[0], names[1]) if job.store.waits else (names[1], names[0])
        sentence = f"{first} goes first, {later} waits: the two stores do not work against each other."
        return [Finding("two controllers", Severity.HOLD, "Store", "store.waits", sentence, rule=PRACTICE)]
    seen = one_meter(subject.design, subject.outcome)
    sentence = (
        f"{names[0]} and {names[1]} each chase the same meter and nobody has said who goes first: in "
        f"{seen.hours * 60:.0f} minutes of an evening {seen.fault.circling_kwh:.1f} kWh go round from one store "
        f"into the other, {seen.lost_kwh:.2f} kWh of it lost. The year here is simulated with an order."
    )
    mends = (Mend("Let the old battery wait", lambda job: job.with_(battery=job.battery.with_(waits=True))),)
    mends += (Mend("Let the new store wait", lambda job: job.with_(store=job.store.with_(waits=True))),)
    return [
        Finding(
            "two controllers",
            Severity.WATCH,
            "Store",
            "store.waits",
            sentence,
            seen.fault.circling_kwh,
            0.0,
            "kWh",
            "two controllers simulated second by second",
            mends,
        )
    ]


@street_check
def check_selling(subject):
    """Stored energy is sold only where that is allowed."""
    job = subject.job
    if not job.control.sell_windows or subject.design.store_box is None:
        return []
    if job.tariff.stored_export:
        return []
    windows = ", ".join(window.told for window in job.control.sell_windows)
    return [
        Finding(
            "selling from the store",
            Severity.WATCH,
            "Street",
            "control.sell_windows",
            f"The window {windows} for selling is left out: this contract is not held to allow energy from the "
            "store to be sold. Ask the network operator and the retailer.",
            rule="the contract, checked locally",
            mends=(
                Mend(
                    "The contract allows it",
                    lambda job: job.with_(tariff=job.tariff.with_(stored_export=True)),
                ),
                Mend("Sell nothing", lambda job: job.with_(control=job.control.with_(sell_windows=()))),
            ),
        )
    ]


@street_check
def check_zero_export(subject):
    """A zero export set to exactly nothing leaks; a small import bias is set on purpose."""
    job = subject.job
    if job.tariff.export_limit_kw != 0 or not any(box.has_array for box in subject.design.boxes):
        return []
    bias_w = job.control.import_bias_w
    if bias_w > 0:
        cost = bias_w / 1000.0 * 8760 * job.tariff.price
        sentence = (
            f"Zero export leaves {bias_w:g} W of import standing, so that nothing leaks out; that costs at most "
            f"{job.tariff.currency} {cost:,.0f} a year."
        )
        return [Finding("zero export", Severity.HOLD, "Street", "control.import_bias_w", sentence, rule=PRACTICE)]
    return [
        Finding(
            "zero export",
            Severity.WATCH,
            "Street",
            "control.import_bias_w",
            "Zero export is set to exactly nothing: while the control follows the load some leaks out. Leave a "
            "small import standing.",
            0.0,
            USUAL_BIAS_W,
            "W",
            PRACTICE,
            (
                Mend(
                    f"Leave {USUAL_BIAS_W:g} W of import",
                    lambda job: job.with_(control=job.control.with_(import_bias_w=USUAL_BIAS_W)),
                ),
            ),
        )
    ]


@street_check
def check_shaving(subject):
    """A peak-shaving threshold that the store cannot hold all year."""
    threshold = subject.job.control.shave_above_kw
    box = subject.design.store_box
    if threshold is None or box is None or not box.store_is_new:
        return []
    bought = subject.outcome.year.at_bus("import")
    worst = float(bought.max())
    over = int((bought.reshape(365, -1).max(axis=1) > threshold + 0.05).sum())
    if not over:
        sentence = f"Import stays under {threshold:g} kW all year: the highest is {worst:.1f} kW."
        severity, mends = Severity.HOLD, ()
    else:
        sentence = (
            f"Import passes {threshold:g} kW on {over} days, {worst:.1f} kW at worst: the store is empty or weak."
        )
        wanted = float(np.ceil(worst * 2) / 2)
        severity = Severity.WATCH
        mends = (
            Mend(
                f"Shave above {wanted:g} kW",
                lambda job: job.with_(control=job.control.with_(shave_above_kw=wanted)),
            ),
        )
    return [
        Finding(
            "peak shaving",
            severity,
            "Street",
            "control.shave_above_kw",
            sentence,
            worst,
            threshold,
            "kW",
            "simulated year",
            mends,
        )
    ]
