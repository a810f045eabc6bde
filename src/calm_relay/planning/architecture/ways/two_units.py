"""One battery unit more beside the other."""

from collections.abc import Sequence
from dataclasses import replace

from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import (
    Architecture,
    BuiltOption,
    Converter,
    Design,
    DesignContext,
    Refusal,
    Spoken,
)
from calm_relay.planning.architecture.parts import coupled_on_ac, of_kind, staying_beside, unbuildable, with_bank
from calm_relay.planning.architecture.refusals import battery_refusals, units_refusals
from calm_relay.planning.common.amounts import money_text, years_text


def two_units(context: DesignContext) -> Design | Refusal:
    """One battery unit more beside the other: energy and power, where an expansion adds energy only."""
    there = [unit for unit in staying_beside(context, context.survey.faces_then) if unit.is_battery_unit]
    if there:
        return _second_of_its_kind(context, there)
    units = context.bank.units + 1
    design = coupled_on_ac(with_bank(context, units=units), ARCHITECTURE)
    return replace(design, title=f"AC battery of {'two' if units == 2 else units} units")


def _second_of_its_kind(context: DesignContext, there: list[Converter]) -> Design | Refusal:
    """One more unit of the kind that is there, under its controller; else the AC-coupled add-on is the second unit."""
    title = "Second unit of the same kind"
    alike = [unit for unit in there if unit.inverter.units_max > 1]
    if not alike:
        reason = "The old battery stays on a unit of its own: the AC-coupled add-on is the second unit here"
        return unbuildable(ARCHITECTURE, "Second battery unit", "AC", reason)
    unit = alike[0].inverter
    units = context.bank.units + sum(item.inverter.key == unit.key for item in alike)
    reasons = units_refusals(unit, units)
    if reasons:
        return unbuildable(ARCHITECTURE, title, "AC", *reasons)
    stated = context.job.battery.model_copy(update={"battery_inverter": unit.key})
    job = context.job.model_copy(update={"battery": stated})
    bank = context.bank
    if battery_refusals(bank, unit, job):
        # It takes packs of the kind that hang on the first.
        fitting = (more for more in of_kind(alike[0].bank.pack, context) if not battery_refusals(more, unit, job))
        bank = replace(next(fitting, bank), units=bank.units)
    here = replace(context, survey=replace(context.survey, job=job), bank=bank)
    return replace(coupled_on_ac(here, ARCHITECTURE), title=title)


def second_unit(option: BuiltOption, others: Sequence[BuiltOption], job: Job) -> Spoken:
    """A unit more adds energy and power; the figures with one unit less stand beside it, today's where one hangs."""
    lead = option.design.leader
    hangs = any(
        unit.battery_surveyed is not None and unit.inverter.key == lead.inverter.key
        for unit in option.design.converters
    )
    less = {"today"} if hangs else {"AC", "AC off grid"}
    one = next((item for item in others if item.role in less), None)
    if one is None:
        return []
    now, before = option.outcome, one.outcome
    packs, stated = lead.bank, option.context.bank.pack
    own: Spoken = []
    if packs.pack.key != stated.key:
        said = f"{packs.summary} on it, of the old kind: {stated.name} does not go with {lead.inverter.name}."
        own = [(True, "lower_bills", said)]
    sentence = (
        f"A second unit adds energy and power: {before.limit.power_kw:.1f} to {now.limit.power_kw:.1f} kW; "
        "a bare expansion would add energy only."
    )
    result: Spoken = [*own, (True, "ride_through_outage", sentence)]
    if hangs:
        # What else is built beside today's unit would be counted in.
        return result
    more = now.money.saving - before.money.saving
    extra = now.money.outlay - before.money.outlay
    if more > 0:
        years = years_text(extra / more)
        summary = f"The second unit alone costs {money_text(job, extra)} and takes {years} to pay for itself."
        result.append((False, "low_outlay", summary))
    return result


ARCHITECTURE = Architecture(
    key="two-units",
    place=4,
    school="A second unit: energy and power, and one that still works when the other fails",
    build=two_units,
    reasons=second_unit,
)
