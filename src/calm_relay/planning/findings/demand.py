"""What the home's year rests on, where it is less than twelve months of the whole house."""

from collections.abc import Callable
from typing import Any

from calm_relay.job.base import minutes_of
from calm_relay.job.demand import LOAD_FIELDS, Car, ShapedDemand
from calm_relay.job.model import Job
from calm_relay.planning.common.joined import counted, joined
from calm_relay.planning.findings.base import (
    Finding,
    Mend,
    Severity,
    Subject,
    check,
    grid_check,
    judged,
    warns,
    warns_if,
)

SMALL_SHARE = 0.02
# So far may the array as modelled be off what its inverter counted, and a run off what bills counted from the grid.
MADE_OFF, IMPORT_OFF = 0.15, 0.15
# Holidays and cuts of supply leave a few hours without a reading.
SILENT_HOURS, AWAY_DAYS = 100.0, 20
# A load of so much of the year is asked about: is it in what was counted?
LARGE_SHARE = 0.25


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
    if (
        metered is not None
        and metered.is_net
        and metered.model_error_kwh is None
        and not metered.battery_told
        and subject.job.existing_batteries
    ):
        return [
            warns(
                "net meter",
                "Home",
                "demand.counts",
                "The house behind the net meter is rebuilt with what the array made. The battery that stands there "
                "moved energy between hours, which is taken for the house’s own. A column of what the house uses, as "
                "portals have it, would tell.",
                rule=demand.source,
            )
        ]
    if metered is None or metered.model_error_kwh is None:
        return []
    share = metered.model_error_kwh / metered.export_kwh if metered.export_kwh > 0 else 0.0
    sentence = (
        f"The house behind the net meter is rebuilt with the modelled roof. At times the meter sent out more than "
        f"the model made: {metered.model_error_kwh:,.0f} kWh a year, {share:.0%} of all export. So far is the "
        "model off in its hours; measured production would mend it."
    )
    if subject.job.existing_batteries:
        sentence += " The battery that stands there moved energy between hours: they are its, in part."
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
    elif not subject.job.existing_batteries:
        mends = (Mend("It counts what comes in", _counts_both),)
        more = "A file that holds export too is best; of import alone the house is estimated."
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


@check
def check_import_alone(subject: Subject) -> list[Finding]:
    """Hours in which an array carried the house are estimated where a meter counts import alone, and that is said."""
    metered = subject.context.demand.metered
    if metered is None or not metered.unseen_h:
        return []
    whole = subject.context.demand.parts[0].kw.sum() * subject.site.calendar.step_h
    share = metered.unseen_kwh / whole
    sentence = (
        f"The meter's file holds what came in alone. In {metered.unseen_h:,.0f} hours the array carried the house "
        f"unseen; there {metered.unseen_kwh:,.0f} kWh a year, {share:.0%} of all, are estimated from the same times of "
        "other days. A file that holds export too would tell."
    )
    return [
        warns(
            "import alone",
            "Home",
            "demand.counts",
            sentence,
            reading=(share * 100, 0.0, "%"),
            rule=subject.context.demand.source,
        )
    ]


def _counts_both(job: Job) -> Job:
    return job.with_(demand=job.demand.with_(counts="net"))


def _counts_all(job: Job) -> Job:
    return job.with_(demand=job.demand.with_(counts="gross"))


@grid_check
def check_counted(subject: Subject) -> list[Finding]:
    """Bills of a house with an array count what came from the grid, which is less than the house uses."""
    demand = subject.job.demand
    there = any(converter.has_array for converter in subject.context.now)
    if not isinstance(demand, ShapedDemand) or demand.counts is not None or not there:
        return []
    figures = "the bills" if demand.bills else f"the {demand.yearly_kwh:,.0f} kWh a year"
    sentence = (
        f"Nobody said what {figures} count beside the array that stands there: all that the house uses, as they are "
        "read now, or what came from the grid. What the house uses of its array is on no bill."
    )
    return [
        warns(
            "counted energy",
            "Home",
            "demand.counts",
            sentence,
            rule=subject.context.demand.source,
            mends=(
                Mend("They count all that is used", _counts_all),
                Mend("They count what came from the grid", _counts_both),
            ),
        )
    ]


@grid_check
def check_behind_meter(subject: Subject) -> list[Finding]:
    """What a house uses behind its array, found from its bills; how well the run agrees with them is said."""
    demand = subject.context.demand
    behind = demand.behind
    if behind is None or not any(converter.has_array for converter in subject.context.now):
        return []
    known = behind.balanced == max(behind.bills, 1)
    how = "by what came in and went out" if known else "so that as much comes from the grid as was counted"
    off = behind.run_in_kwh / behind.counted_kwh - 1.0 if behind.counted_kwh > 0 else 0.0
    sentence = (
        f"{behind.counted_kwh:,.0f} kWh came from the grid beside the array that stands there; the house is taken to "
        f"use {behind.house_kwh:,.0f} kWh in the same days, {how}."
    )
    if known and abs(off) > IMPORT_OFF:
        sentence += (
            f" Its hours are not those of the shape: the run takes {behind.run_in_kwh:,.0f} kWh from the grid. "
            "A meter’s file would tell."
        )
    elif not known:
        sentence += " What went out, on the same bill, makes it surer."
    findings = [
        warns_if(
            known and abs(off) > IMPORT_OFF,
            "behind the meter",
            "Home",
            "demand.counts",
            sentence,
            reading=(behind.run_in_kwh, behind.counted_kwh, "kWh"),
            rule=demand.source,
        )
    ]
    if behind.made is not None:
        findings.append(_made_as_modelled(*behind.made, demand.source, "demand.bills"))
    return findings


@check
def check_measured_yield(subject: Subject) -> list[Finding]:
    """What the array that stands there made by a file is held against the model of it."""
    demand = subject.context.demand
    if demand.metered is None or demand.metered.made is None:
        return []
    stated, modelled = demand.metered.made
    if any(converter.has_array for converter in subject.context.now):
        return [_made_as_modelled(stated, modelled, demand.source, "demand.production_path")]
    return [
        warns(
            "yield today",
            "Home",
            "demand.production_path",
            f"The file tells of an array that made {stated:,.0f} kWh; none stands there in this job. State it on the "
            "Roof and Inverter benches.",
            reading=(modelled, stated, "kWh"),
            rule=demand.source,
        )
    ]


def _made_as_modelled(stated: float, modelled: float, source: str, field: str) -> Finding:
    off = modelled / stated - 1.0 if stated > 0 else 1.0
    by = f"{abs(off):.0%} {'less' if off < 0 else 'more'}" if abs(off) >= 0.005 else "as much"
    sentence = f"The array made {stated:,.0f} kWh by its inverter; as modelled it makes {by}."
    if off > MADE_OFF:
        sentence += " Dirt, shade, or strings that are out: look at it, or state the losses."
    elif off < -MADE_OFF:
        sentence += " Are its modules, its tilt and its losses as stated?"
    return warns_if(
        abs(off) > MADE_OFF,
        "yield today",
        "Home",
        field,
        sentence,
        reading=(modelled, stated, "kWh"),
        rule=source,
    )


@check
def check_emptied_bills(subject: Subject) -> list[Finding]:
    """Bills that the loads listed beside the house use up, or that no house behind the array comes to."""
    demand = subject.context.demand
    # Days on which nobody is at home are no fault.
    if demand.emptied <= (AWAY_DAYS if demand.metered is not None else 0):
        return []
    shaped = subject.job.demand
    if not isinstance(shaped, ShapedDemand):
        figures = f"the meter’s file on {counted(demand.emptied, 'day')}"
    else:
        figures = counted(demand.emptied, "bill") if shaped.bills else "the year’s figure"
    beside = "The loads that are there" + (" and the array" if demand.behind is not None else "")
    return [
        warns(
            "emptied bills",
            "Home",
            "demand.bills",
            f"{beside} leave nothing of {figures} for the house itself. Is a load listed that is to come, or is a "
            "figure of another time?",
            reading=(float(demand.emptied), 0.0, "days" if demand.metered is not None else "bills"),
            rule=demand.source,
        )
    ]


@check
def check_loads_counted(subject: Subject) -> list[Finding]:
    """Loads that are there are in a meter's file and in bills; which part of them that is, is said."""
    demand, job = subject.context.demand, subject.job
    if not demand.there_kwh:
        return []
    names = [load.name for loads in job.demand.there.values() for load in loads]
    one = len(names) == 1
    billed = isinstance(job.demand, ShapedDemand) and bool(job.demand.bills)
    figures = "the bills" if billed else "what came in" if demand.behind is not None else "the meter’s file"
    sentence = (
        f"{joined(names)} {'is' if one else 'are'} listed as there: {demand.there_kwh:,.0f} kWh a year of {figures} "
        f"are taken for {'it' if one else 'them'}, and nothing is added. What is yet to come is to be marked so."
    )
    return [
        warns_if(
            demand.there_kwh > LARGE_SHARE * demand.yearly_kwh,
            "loads counted",
            "Home",
            "demand.loads",
            sentence,
            reading=(demand.there_kwh, demand.yearly_kwh, "kWh"),
            rule=demand.source,
            mends=(Mend(f"{'It is' if one else 'They are'} to come", _to_come),),
        )
    ]


def _to_come(job: Job) -> Job:
    demand = job.demand
    changed = {field: tuple(load.with_(planned=True) for load in getattr(demand, field)) for field in LOAD_FIELDS}
    return job.with_(demand=demand.with_(**changed))


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
