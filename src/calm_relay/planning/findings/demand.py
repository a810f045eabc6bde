"""What the home's year rests on, where it is less than twelve months of the whole house."""

from collections.abc import Callable
from typing import Any

from calm_relay.job.base import minutes_of
from calm_relay.job.demand import Car
from calm_relay.job.model import Job
from calm_relay.planning.common.joined import counted
from calm_relay.planning.findings.base import Finding, Mend, Severity, Subject, check, judged, warns, warns_if

SMALL_SHARE = 0.02
# Holidays and cuts of supply leave a few hours without a reading.
SILENT_HOURS = 100.0


@check
def check_measured_days(subject: Subject) -> list[Finding]:
    """Days that were not measured or billed are filled in, and that is said."""
    demand = subject.context.demand
    findings = []
    if demand.metered is not None and demand.metered.measured_days < 365:
        bare = demand.metered.bare_months
        months = f" {', '.join(bare)} had none of its own." if bare else ""
        days = demand.metered.measured_days
        sentence = (
            f"The meter's file covers {counted(days, 'day')} of the year; the other {365 - days} are taken from the "
            f"same weekdays near them, at the mirrored season, or nearest to it.{months}"
        )
        severity = Severity.CHECK if days < 350 else Severity.OK
        findings.append(
            judged(
                severity,
                "measured days",
                "Home",
                "demand.path",
                sentence,
                reading=(float(days), 365.0, "days"),
                rule=demand.source,
            )
        )
    if demand.days_without_bill:
        days = demand.days_without_bill
        findings.append(
            warns_if(
                days > 15,
                "billed days",
                "Home",
                "demand.bills",
                f"No bill covers {days} days of the year; they follow the shape at the scale of the other days.",
                reading=(float(365 - days), 365.0, "days"),
                rule=demand.source,
            )
        )
    return findings


@check
def check_net_meter(subject: Subject) -> list[Finding]:
    """A net meter's house is rebuilt; how far the model is off is said."""
    demand = subject.context.demand
    metered = demand.metered
    if metered is None or metered.model_error_kwh is None:
        return []
    share = metered.model_error_kwh / metered.export_kwh if metered.export_kwh > 0 else 0.0
    sentence = (
        f"The house behind the net meter is rebuilt with the modelled roof. At times the meter sent out more than "
        f"the model made: {metered.model_error_kwh:,.0f} kWh a year, {share:.0%} of all export. So far is the "
        "model off in its hours; measured production would mend it."
    )
    return [
        warns_if(
            share > SMALL_SHARE,
            "net meter",
            "Home",
            "demand.counts",
            sentence,
            reading=(share * 100, SMALL_SHARE * 100, "%"),
            rule=demand.source,
        )
    ]


@check
def check_gross_meter(subject: Subject) -> list[Finding]:
    """What is read as all that a house draws may be what its meter took from the grid beside an array."""
    metered = subject.context.demand.metered
    if metered is None or metered.silent_h < SILENT_HOURS:
        return []
    mends: tuple[Mend, ...] = ()
    more = "Read a file that holds export too."
    if metered.has_export:
        mends, more = (Mend("It counts import and export", _counts_both),), "Its file holds export too."
    sentence = (
        f"The meter's file is read as all that the house draws, yet it shows next to nothing in "
        f"{metered.silent_h:,.0f} hours of high sun and never rests so by night: a meter beside an array sees what is "
        f"imported, and the house draws more. {more}"
    )
    return [
        warns(
            "gross meter",
            "Home",
            "demand.counts",
            sentence,
            reading=(metered.silent_h, SILENT_HOURS, "h"),
            rule=subject.context.demand.source,
            mends=mends,
        )
    ]


def _counts_both(job: Job) -> Job:
    return job.with_(demand=job.demand.with_(counts="net"))


@check
def check_car_windows(subject: Subject) -> list[Finding]:
    """A charging window must be long enough for the energy at the charger's power."""
    findings = []
    for number, car in enumerate(subject.job.demand.cars):
        # What a controlled car goes short of is found by its run.
        if car.is_controlled:
            continue
        minutes = (minutes_of(car.end) - minutes_of(car.start)) % 1440 or 1440
        room = car.charger_kw * minutes / 60
        if room >= car.kwh_per_day:
            continue
        findings.append(
            warns(
                "charging window",
                "Home",
                f"demand.cars.{number}.start",
                f"{car.name} asks {car.kwh_per_day:g} kWh a day; {minutes / 60:g} h at {car.charger_kw:g} kW "
                f"bring {room:.1f} kWh.",
                reading=(car.kwh_per_day, room, "kWh"),
                rule="the job's survey",
                mends=earlier(car, number),
            )
        )
    return findings


def earlier(car: Car, number: int) -> tuple[Mend, ...]:
    """Charging a car from an hour at which its charger can still fill it; nothing where a day is too short."""
    wanted = -(-car.kwh_per_day / car.charger_kw * 60 // 15) * 15
    if wanted > 1440:
        return ()
    start = int(minutes_of(car.end) - wanted) % 1440
    clock = f"{start // 60:02d}:{start % 60:02d}"
    return (Mend(f"Charge {car.name} from {clock}", _from(number, clock)),)


def _from(number: int, clock: str) -> Callable[..., Any]:
    def apply(job: Job) -> Job:
        cars = list(job.demand.cars)
        cars[number] = cars[number].with_(start=clock)
        return job.with_(demand=job.demand.with_(cars=tuple(cars)))

    return apply
