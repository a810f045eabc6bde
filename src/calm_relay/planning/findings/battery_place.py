"""Where the battery stands, what cold and heat leave of it, and whether it is used at all."""

import re
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from calm_relay.job.control import GridCharge
from calm_relay.job.field_range import range_of
from calm_relay.job.model import Job
from calm_relay.job.survey import BatteryPlace
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.architecture.refusals import CLEAR_OF_WATER_M, battery_refusals
from calm_relay.planning.common.amounts import degrees_text
from calm_relay.planning.common.joined import counted
from calm_relay.planning.findings.base import (
    Finding,
    Mend,
    Severity,
    Subject,
    check,
    grid_check,
    judged,
    stops,
    stops_if,
    warns,
    warns_if,
)
from calm_relay.planning.findings.battery import is_the_job_s
from calm_relay.planning.operation.controls import usual_charge
from calm_relay.planning.site.battery_temperature import battery_air_c, charge_derate, discharge_derate

SHEET = "battery datasheet"
# Protection by IEC 60529, and what a unit outdoors has of it at least.
INGRESS = re.compile(r"IP([0-6X])([0-9X])")
OUTDOORS = (5, 4)


def new_battery(subject: Subject) -> Converter | None:
    """The unit whose battery comes to stand there; None where none does."""
    converter = subject.design.battery_converter
    return converter if converter is not None and converter.battery_moves else None


def move(**changes: Any) -> Callable[..., Any]:
    """Puts the battery elsewhere, as a mend."""
    return lambda job: job.with_(battery_place=job.battery_place.with_(**changes))


def charged_in(window: GridCharge) -> Mend:
    """Charges the battery from the grid in a window, as a mend."""

    def apply(job: Job) -> Job:
        return job.with_(battery=job.battery.with_(charge_windows=(window,)))

    return Mend(f"Charge it from the grid {window.start} to {window.end}", apply)


@check
def check_stands_dry(subject: Subject) -> list[Finding]:
    """The lowest pack stands above the highest water that is to be expected."""
    converter, place = new_battery(subject), subject.job.battery_place
    if converter is None or place.flood_m <= 0:
        return []
    wet = place.base_m < place.flood_m + CLEAR_OF_WATER_M
    wanted = round(place.flood_m + CLEAR_OF_WATER_M, 2)
    reachable = range_of(BatteryPlace, "base_m").holds(wanted)
    length = subject.context.survey.length_words
    sentence = f"The lowest pack stands {length(place.base_m)} up; water may come to {length(place.flood_m)}."
    return [
        stops_if(
            wet,
            "flood height",
            "Battery",
            "battery_place.base_m",
            sentence,
            reading=(place.base_m, wanted, "m"),
            rule="the job's survey",
            mends=(Mend(f"Hang it {length(wanted)} up", move(base_m=wanted)),) if wet and reachable else (),
        )
    ]


@check
def check_outdoors(subject: Subject) -> list[Finding]:
    """A pack that is not made for outdoors must not stand there."""
    converter = new_battery(subject)
    if converter is None or subject.job.battery_place.where != "outdoors" or converter.bank.pack.outdoors:
        return []
    return [
        stops(
            "outdoors",
            "Battery",
            "battery_place.where",
            f"{converter.bank.pack.name} is not made to stand outdoors.",
            rule=SHEET,
            mends=(Mend("Stand it in an unheated room", move(where="unheated room")),),
        )
    ]


@check
def check_unit_outdoors(subject: Subject) -> list[Finding]:
    """The unit of a battery outdoors hangs beside it, in rain and dust."""
    converter = new_battery(subject)
    if converter is None or not converter.is_new or subject.job.battery_place.where != "outdoors":
        return []
    code = INGRESS.match(converter.inverter.ingress)
    if code is None:
        return []
    tight = all(
        figure == "X" or int(figure) >= least for figure, least in zip(code.groups(), OUTDOORS, strict=True)
    )
    sentence = f"{converter.name} is {code.group(0)} and hangs beside a battery outdoors"
    return [
        warns_if(
            not tight,
            "unit outdoors",
            "Inverter",
            "battery_place.where",
            f"{sentence}; out of the sun all the same."
            if tight
            else f"{sentence}: rain and dust get in. Hang it indoors, or take one of IP{OUTDOORS[0]}{OUTDOORS[1]}.",
            rule=f"inverter datasheet; IP{OUTDOORS[0]}{OUTDOORS[1]} outdoors, common practice, no source",
            mends=() if tight else (Mend("Stand both in an unheated room", move(where="unheated room")),),
        )
    ]


@check
def check_air(subject: Subject) -> list[Finding]:
    """Days on which cold or heat takes some of the battery's power."""
    converter = new_battery(subject)
    if converter is None:
        return []
    pack, place = converter.bank.pack, subject.job.battery_place
    air = battery_air_c(place, subject.site)
    charge, discharge = charge_derate(pack, air), discharge_derate(pack, air)
    cold = int((charge < 1.0)[air < pack.charge_full_c].sum())
    shut = int((charge <= 0.0)[air < pack.charge_full_c].sum())
    hottest = float(air.max()) if place.hottest_c is None else place.hottest_c
    findings = []
    if cold:
        never = f", on {counted(shut, 'day')} not at all" if shut else ""
        sentence = (
            f"In the {place.where} the cells are below {degrees_text(pack.charge_full_c)} "
            f"on {counted(cold, 'day')} and charge slower{never}; coldest day {degrees_text(float(air.min()), 0)}."
        )
        heated = place.where == "heated room"
        mends = () if heated else (Mend("Stand it in a heated room", move(where="heated room")),)
        findings.append(
            warns(
                "cold battery",
                "Battery",
                "battery_place.where",
                sentence,
                reading=(float(air.min()), pack.charge_full_c, "°C"),
                rule=SHEET,
                mends=mends,
            )
        )
    if hottest > pack.work_max_c or float(discharge.min()) < 1.0:
        stop = hottest > pack.work_max_c
        sentence = (
            f"It may be {hottest:.0f} °C where the battery stands; {pack.name} works up to {pack.work_max_c:g} °C."
        )
        findings.append(
            judged(
                Severity.STOP if stop else Severity.CHECK,
                "hot battery",
                "Battery",
                "battery_place.hottest_c",
                sentence,
                reading=(hottest, pack.work_max_c, "°C"),
                rule=SHEET,
            )
        )
    return findings


@grid_check
def check_under_used(subject: Subject) -> list[Finding]:
    """A battery with few full cycles a year is money that stands still."""
    converter = new_battery(subject)
    if converter is None or subject.design.by_clock:
        return []
    year = subject.outcome.year
    number = subject.design.converters.index(converter)
    cycles = year.kwh("discharge", number) / year.plant[number].bank.usable_kwh
    wanted = subject.job.costs.underused_cycles
    used = cycles >= wanted
    sentence = f"The battery turns {cycles:.0f} full cycles a year"
    if not used:
        held = subject.job.weight("ride_through_outage") > 0
        sentence += f": under-used below {wanted:g}" + (", unless it stands there for outages" if held else "")
    mends: tuple[Mend, ...] = ()
    bank, fewer = converter.bank, converter.bank.count - 1
    # Fewer packs turn more often, the last of them as often as all the energy allows.
    helps = not used and cycles * bank.count >= wanted * bank.pack.count_min
    fits = fewer >= bank.pack.count_min and not battery_refusals(
        replace(bank, count=fewer), converter.inverter, subject.job
    )
    bought = subject.job.battery.charge_windows or subject.job.control.by_price is not None
    if not bought and not any(item.has_array for item in subject.design.converters):
        sentence = "Nothing charges the battery: there is no array, and it is not charged from the grid"
        mends = (charged_in(usual_charge(subject.job.tariff)),)
    elif helps and fits and is_the_job_s(subject, converter):
        mends = (
            Mend(f"Use {fewer} × {bank.pack.name}", lambda job: job.with_(battery=job.battery.with_(count=fewer))),
        )
    return [
        warns_if(
            not used,
            "under-used",
            "Battery",
            "battery.count",
            f"{sentence}.",
            reading=(cycles, wanted, "cycles"),
            rule="simulated year; the figure is the job's",
            mends=mends,
        )
    ]
