"""What a lead-acid bank asks of those who plan it: full charges, current enough for them, volts, and air."""

import numpy as np

from calm_relay.job.control import GridCharge
from calm_relay.job.model import Job
from calm_relay.physics.fade import cycles_at
from calm_relay.physics.plant.readings import given_by
from calm_relay.planning.common.amounts import degrees_text
from calm_relay.planning.findings.base import (
    Finding,
    Mend,
    Subject,
    check,
    passes,
    stops,
    warns_if,
)
from calm_relay.planning.findings.battery_place import SHEET, charged_in, move, new_battery
from calm_relay.planning.operation.lead_bank import lead_bank_of
from calm_relay.planning.site.battery_temperature import battery_air_c

# A bank that is seldom full sulphates: common practice, no source.
FULL_SHARE, FULL = 0.8, 0.98
# A bank that is replaced more than once within the job's years is cycled too deep.
LIVES = 2.0
# Amperes for each ampere-hour at ten hours, below which it is seldom filled: common practice, no source.
LEAST_CHARGE = 0.1
# Charge at which its current is looked at: before it begins to fall.
BULK = 0.5


@check
def check_lead_duty(subject: Subject) -> list[Finding]:
    """Lead-acid wants a full charge nearly every day and shallow cycles."""
    converter = subject.design.battery_converter
    if converter is None or not converter.bank.pack.is_lead:
        return []
    year = subject.outcome.year
    number = subject.design.converters.index(converter)
    pack = converter.bank.pack
    level = year.of("stored", number).reshape(365, -1) / year.plant[number].bank.usable_kwh
    full = int((level.max(axis=1) >= FULL).sum())
    depth = float(np.mean(level.max(axis=1) - level.min(axis=1))) * pack.depth_of_discharge
    good = full >= FULL_SHARE * 365
    sentence = (
        f"{pack.name} is full on {full} of 365 days and cycles {depth:.0%} of its nominal energy a day; "
        f"{'full nearly every day, as lead-acid wants it' if good else 'part-charged lead-acid sulphates'}."
    )
    return [
        warns_if(
            not good,
            "lead-acid duty",
            "Battery",
            "battery.charge_windows",
            sentence,
            reading=(float(full), FULL_SHARE * 365, "days"),
            rule="common practice, no source",
            mends=()
            if good or not converter.battery_moves or subject.design.by_clock
            else _topped_up(subject.job),
        )
    ]


@check
def check_lead_years(subject: Subject) -> list[Finding]:
    """What a day's cycle does to a lead-acid bank's years, by its own curve."""
    converter = subject.design.battery_converter
    if converter is None or not converter.bank.pack.is_lead:
        return []
    year, number, pack = subject.outcome.year, subject.design.converters.index(converter), converter.bank.pack
    given = given_by(year.stored[number])
    depth = given / 365.0 / converter.bank.nominal_kwh
    if depth <= 0.0:
        return []
    curve = sorted(pack.cycle_life, key=lambda point: point.depth)
    cycles = float(cycles_at(depth, [point.depth for point in curve], [point.cycles for point in curve]))
    years, wanted = cycles / 365.0, subject.job.costs.horizon_years / LIVES
    short = years < wanted
    sentence = (
        f"{pack.name} cycled to {depth:.0%} of its nominal energy each day lasts {years:.1f} years by its curve"
    )
    sentence += f"; over {subject.job.costs.horizon_years} years it is replaced more than once." if short else "."
    return [
        warns_if(
            short,
            "lead-acid years",
            "Battery",
            "battery.count",
            sentence,
            reading=(years, wanted, "years"),
            rule=f"{pack.name}, {SHEET}: cycles over depth",
        )
    ]


@check
def check_lead_air(subject: Subject) -> list[Finding]:
    """The gas of a bank that is charged, and the fresh air that keeps it harmless."""
    bank = lead_bank_of(new_battery(subject))
    if bank is None:
        return []
    gas = f"{bank.pack.name} gives off gas while it is charged"
    if not subject.job.battery_place.ventilated:
        return [
            stops(
                "ventilation",
                "Battery",
                "battery_place.ventilated",
                f"{gas}, and the place has no ventilation.",
                rule="IEC 62485-2, ventilation of battery rooms; check locally",
                mends=(Mend("Ventilate the place", move(ventilated=True)),),
            )
        ]
    air, opening = bank.air_words(subject.context.survey.in_feet)
    return [
        passes(
            "ventilation",
            "Battery",
            "battery_place.ventilated",
            f"{gas}: it wants {air} of fresh air, or two openings to the open air of {opening} each, one low and one "
            "high.",
            rule=f"IEC 62485-2, from memory: {bank.cells} cells boosted, "
            f"{'valve-regulated' if bank.sealed else 'vented'}; check locally",
        )
    ]


@check
def check_lead_volts(subject: Subject) -> list[Finding]:
    """The unit must reach the volts that fill the bank, where it is cold too."""
    converter = subject.design.battery_converter
    bank = lead_bank_of(converter)
    if converter is None or bank is None:
        return []
    most, unit = converter.inverter.port.high_v, converter.inverter.name
    coldest = float(battery_air_c(subject.job.battery_place, subject.site).min())
    cold_v = bank.absorption_at(coldest)
    said = f"{bank.pack.name} wants {bank.absorption_v:.1f} V at 25 °C to be full"
    if bank.absorption_v > most:
        return [
            stops(
                "charging volts",
                "Battery",
                "battery.pack",
                f"{said}; {unit} gives at most {most:g} V.",
                reading=(bank.absorption_v, most, "V"),
                rule=bank.source_of(bank.pack.absorption_v),
            )
        ]
    cold = f"{cold_v:.1f} V at {degrees_text(coldest, 0)}, the coldest where it stands"
    return [
        warns_if(
            cold_v > most,
            "charging volts",
            "Battery",
            "battery_place.where",
            f"{said}, {cold}; {unit} gives at most {most:g} V"
            f"{', so that it stays part-charged in the cold' if cold_v > most else ''}.",
            reading=(cold_v, most, "V"),
            rule=bank.source_of(bank.pack.absorption_v),
        )
    ]


@check
def check_lead_current(subject: Subject) -> list[Finding]:
    """Charging current enough to fill the bank: what arrays and unit give at most in the year."""
    converter = new_battery(subject)
    bank = lead_bank_of(converter)
    if converter is None or bank is None:
        return []
    number = subject.design.converters.index(converter)
    volts = float(converter.bank.volts(BULK))
    amps = float(subject.outcome.year.of("charge", number).max()) * 1000.0 / volts
    whole = bank.at_ten_hours * converter.bank.units
    share = amps / whole
    few = share < LEAST_CHARGE
    sentence = f"At most {amps:.0f} A go into {converter.bank.summary} of {whole:.0f} Ah at ten hours: {share:.0%}"
    return [
        warns_if(
            few,
            "charging current",
            "Battery",
            "battery.count",
            f"{sentence}; below {LEAST_CHARGE:.0%} lead-acid is seldom filled to the brim."
            if few
            else f"{sentence}, as lead-acid wants it ({LEAST_CHARGE:.0%} or more).",
            reading=(amps, LEAST_CHARGE * whole, "A"),
            rule="common practice, no source; simulated year",
        )
    ]


def _topped_up(job: Job) -> tuple[Mend, ...]:
    """A window that fills the bank each night, where there is a grid and no window stands in its way."""
    if job.battery.charge_windows or job.control.by_price is not None or not job.supply.on_grid:
        return ()
    return (charged_in(GridCharge(start="02:00", end="06:00", target=1.0)),)
