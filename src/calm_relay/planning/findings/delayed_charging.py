"""Whether the battery is full before midday, when the export limit and the inverters turn power away."""

from calm_relay.job.control import DelayWindow
from calm_relay.job.model import Job
from calm_relay.planning.common.joined import joined
from calm_relay.planning.findings.base import Finding, Mend, Subject, advises, grid_check, warns, warns_if
from calm_relay.planning.operation.delayed_charging import SMALL_KWH, best_delay, stated_delay, turned_away_kwh

FIELD = "control.delay_windows"
# A delay that is worth less than so much of the grid's energy is nobody's trouble [kWh].
SMALL_WORTH_KWH = 25.0
RULE = "simulated year, charged at once and later"


@advises
@grid_check
def check_delayed_charging(subject: Subject) -> list[Finding]:
    """A battery that is full before midday leaves to the export limit what it could have stored."""
    design, job, unit = subject.design, subject.job, subject.design.battery_converter
    if unit is None or not unit.battery_moves or design.by_clock:
        return []
    demand = subject.context.demand
    if job.control.delay_windows:
        return [_stated(subject)]
    turned_kwh = turned_away_kwh(subject.outcome.year)
    if turned_kwh < SMALL_KWH:
        return []
    best = best_delay(design, job, subject.site, demand)
    if best is None or best.worth < SMALL_WORTH_KWH * job.tariff.price:
        return []
    window = best.windows[0]
    return [
        warns(
            "delayed charging",
            "Battery",
            FIELD,
            f"{_who(job)} {turned_kwh:,.0f} kWh a year. Where the battery waits for that in the morning, "
            f"{window.summary}, it is {best.kept_kwh:,.0f} kWh less, and the bill {job.tariff.currency} "
            f"{best.worth:,.0f} a year lower; on dull days the battery is filled later.",
            reading=(turned_kwh, turned_kwh - best.kept_kwh, "kWh"),
            rule=RULE,
            mends=(Mend(f"Delay charging to {window.end}", lambda job: _with(job, best.windows)),),
        )
    ]


def _stated(subject: Subject) -> Finding:
    job = subject.job
    delay = stated_delay(subject.design, job, subject.site, subject.context.demand)
    when = joined([window.summary for window in delay.windows])
    higher = delay.worth < 0.0
    if round(delay.kept_kwh) <= 0.0:
        what = f"no less is turned away for it than {turned_away_kwh(subject.outcome.year):,.0f} kWh a year"
    else:
        what = f"{delay.kept_kwh:,.0f} kWh a year less are turned away"
    return warns_if(
        higher,
        "delayed charging",
        "Battery",
        FIELD,
        f"Charging is delayed, {when}: {what}, and the bill is {job.tariff.currency} {abs(delay.worth):,.0f} a year "
        f"{'higher' if higher else 'lower'} than without.",
        reading=(delay.kept_kwh, 0.0, "kWh"),
        rule=RULE,
        mends=(Mend("Charge without delay", lambda job: _with(job, ())),) if higher else (),
    )


def _who(job: Job) -> str:
    """Who turns power away."""
    return (
        "The inverters turn away"
        if job.tariff.export_limit_kw is None
        else "The export limit and the inverters turn away"
    )


def _with(job: Job, windows: tuple[DelayWindow, ...]) -> Job:
    return job.with_(control=job.control.with_(delay_windows=windows))
