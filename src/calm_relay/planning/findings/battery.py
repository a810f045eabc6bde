"""The store's power against the evening, and its energy against the charge window."""

from dataclasses import replace
from math import ceil

from calm_relay.job.base import minutes_of
from calm_relay.planning.architecture.design import HYBRID_SWAP
from calm_relay.planning.architecture.refusals import battery_refusals
from calm_relay.planning.equipment.bank import charge_dc_kw, discharge_ac_kw
from calm_relay.planning.findings.base import Finding, Mend, Severity, street_check
from calm_relay.planning.strings.stringing import hard_refusals


@street_check
def check_evening_power(subject):
    """A store that is too weak for the evening lets the street serve the peak while it is still full."""
    box, limit = subject.design.store_box, subject.outcome.limit
    if box is None:
        return []
    demand = subject.ground.demand
    peak_kw, power_kw = demand.evening_peak_kw, limit.power_kw
    when = demand.evening_peak_at.astype(object)
    opening = f"The worst evening half hour asks {peak_kw:.1f} kW ({when:%-d %b, %H:%M})"
    if power_kw >= peak_kw:
        sentence = f"{opening}; the store gives {power_kw:.1f} kW."
        severity, mends = Severity.HOLD, ()
    else:
        sentence = (
            f"{opening}; the store gives {power_kw:.1f} kW, limited by the {limit.limited_by}. "
            f"The street gives the rest: {limit.bought_kwh:,.0f} kWh a year while charge is left."
        )
        severity, mends = Severity.WATCH, _stronger(subject, box, power_kw)
    return [
        Finding(
            "evening power",
            severity,
            "Store",
            "store",
            sentence,
            power_kw,
            peak_kw,
            "kW",
            "simulated year",
            mends,
        )
    ]


def _stronger(subject, box, power_kw):
    """The smallest step that gives clearly more power: one more pack, or the next converter."""
    mends = []
    bigger = replace(box.bank, count=box.bank.count + 1)
    if not box.is_new or not is_the_job_s(subject, box):
        return ()
    if (
        not battery_refusals(bigger, box.converter, subject.job)
        and discharge_ac_kw(bigger, box.converter)[0] > power_kw * 1.05
    ):
        count = bigger.count
        mends.append(
            Mend(f"Use {count} × {bigger.pack.name}", lambda job: job.with_(store=job.store.with_(count=count)))
        )
    mend = stronger_converter(subject, box, lambda item: discharge_ac_kw(box.bank, item)[0] > power_kw * 1.05)
    return tuple(mends + ([mend] if mend else []))


def is_the_job_s(subject, box) -> bool:
    """Whether a box carries the store that the job states, and not one that its architecture brings along."""
    return not subject.design.by_clock and box.bank.pack.key == subject.job.store.pack


def stronger_converter(subject, box, enough):
    """A mend that takes the cheapest converter of the same kind that is enough; None when there is none."""
    if not is_the_job_s(subject, box):
        return None
    field = "battery_inverter" if box.converter.pv is None else "hybrid"
    survey = subject.ground.survey
    fitting = []
    for item in subject.ground.kit.catalogue.converters:
        if item.battery is None or (item.pv is None) != (box.converter.pv is None):
            continue
        if battery_refusals(box.bank, item, subject.job) or not enough(item):
            continue
        if subject.design.key == HYBRID_SWAP:
            strings = survey.lay(item, survey.faces_then)
            if hard_refusals(strings, survey.temperatures, survey.site_limit):
                continue
        fitting.append(item)
    if not fitting:
        return None
    taken = min(fitting, key=lambda item: (item.price, item.key))
    return Mend(f"Take the {taken.name}", lambda job: job.with_(store=job.store.with_(**{field: taken.key})))


@street_check
def check_charge_window(subject):
    """The cheap window must be long enough, at the real charge rate, for the energy it is meant to bring."""
    box, charge = subject.design.store_box, subject.job.store.first_window
    if box is None or charge is None or not box.is_new or subject.design.by_clock:
        return []
    store = subject.job.store
    minutes = (minutes_of(charge.end) - minutes_of(charge.start)) % 1440
    rate_kw, limited_by = charge_dc_kw(box.bank, box.converter, charge.limit_kw)
    own_kw, _ = charge_dc_kw(box.bank, box.converter)
    into = box.bank.pack.round_trip**0.5
    gain_kwh = rate_kw * into * minutes / 60
    need_kwh = box.bank.usable_kwh * max(0.0, charge.target - store.reserve)
    opening = (
        f"Window {charge.start} to {charge.end}: {minutes / 60:g} h × {rate_kw:.1f} kW brings {gain_kwh:.1f} kWh"
    )
    if gain_kwh >= need_kwh:
        sentence = f"{opening}; from the reserve to the target takes {need_kwh:.1f} kWh."
        severity, mends = Severity.HOLD, ()
    else:
        level = charge.target - gain_kwh / box.bank.usable_kwh
        sentence = (
            f"{opening}, {need_kwh - gain_kwh:.1f} kWh short ({limited_by}): it reaches {charge.target:.0%} only "
            f"from above {level:.0%}."
        )
        severity = Severity.WATCH
        mends = _longer(charge, minutes, need_kwh / (rate_kw * into) if rate_kw > 0 else 0.0)
        mends += _faster(charge, own_kw, into, minutes, need_kwh)
    return [
        Finding(
            "charge window",
            severity,
            "Store",
            "store.charge_windows.0",
            sentence,
            gain_kwh,
            need_kwh,
            "kWh",
            "charge rate of battery and inverter, datasheets",
            mends,
        )
    ]


def _longer(charge, minutes, hours):
    wanted = ceil(hours * 4) * 15
    if not minutes < wanted < 1440:
        return ()
    start = (minutes_of(charge.end) - wanted) % 1440
    clock = f"{start // 60:02d}:{start % 60:02d}"

    def apply(job):
        return job.with_(store=job.store.with_first_window(job.store.first_window.with_(start=clock)))

    return (Mend(f"Start at {clock}", apply),)


def _faster(charge, own_kw, into, minutes, need_kwh):
    if charge.limit_kw is None or own_kw * into * minutes / 60 < need_kwh:
        return ()

    def apply(job):
        return job.with_(store=job.store.with_first_window(job.store.first_window.with_(limit_kw=None)))

    return (Mend("Lift the window's power limit", apply),)
