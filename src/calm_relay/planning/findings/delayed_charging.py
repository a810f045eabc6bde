"""Whether the battery is full before midday, when the export limit and the inverters turn power away."""

from calm_relay.planning.common.joined import joined
from calm_relay.planning.findings.base import Finding, Mend, Subject, advises, grid_check, passes, warns
from calm_relay.planning.operation.controls import usual_delay
from calm_relay.planning.operation.delayed_charging import (
    SMALL_KWH,
    delayed_until,
    delays,
    turned_away_kwh,
    waiting_of,
    with_delay,
    worth_a_window,
)

FIELD = "control.delay_windows"
RULE = "simulated year"


@advises
@grid_check
def check_delayed_charging(subject: Subject) -> list[Finding]:
    """A battery that is full before midday leaves to the export limit what it could have stored."""
    job, unit, year = subject.job, delays(subject.design), subject.outcome.year
    if unit is None:
        return []
    turned_kwh = turned_away_kwh(year)
    by = "The inverters turn" if job.tariff.export_limit_kw is None else "The export limit and the inverters turn"
    if job.control.delay_windows:
        when = joined([window.summary for window in job.control.delay_windows])
        said = (
            f"Charging is delayed, {when}. {by} away {turned_kwh:,.0f} kWh a year. "
            "What the delay is worth stands on the bench Battery, under Delay."
        )
        return [passes("delayed charging", "Battery", FIELD, said, reading=(turned_kwh, None, "kWh"), rule=RULE)]
    waiting = waiting_of(subject.design, job, subject.site, year)
    if waiting is None or waiting.saved_kwh < SMALL_KWH or waiting.worth < worth_a_window(job):
        return []
    windows = delayed_until(job, usual_delay(job.site.latitude).end)
    return [
        warns(
            "delayed charging",
            "Battery",
            FIELD,
            f"{by} away {turned_kwh:,.0f} kWh a year, and the battery is often full by then: charged later it may "
            f"save about {waiting.saved_kwh:,.0f} kWh of that. What it is worth by the hour stands on the bench "
            "Battery, under Delay.",
            reading=(turned_kwh, turned_kwh - waiting.saved_kwh, "kWh"),
            rule=RULE,
            mends=(Mend(f"Delay charging to {windows[0].end}", lambda job: with_delay(job, windows)),),
        )
    ]
