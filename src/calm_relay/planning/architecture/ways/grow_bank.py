"""More packs on the port that carries the old battery."""

from dataclasses import replace

from calm_relay.planning.architecture.design import Architecture, Design, DesignContext, Refusal
from calm_relay.planning.architecture.parts import (
    unbuildable,
)
from calm_relay.planning.architecture.refusals import (
    battery_refusals,
    mixing_refusals,
)
from calm_relay.planning.equipment.bank import Bank


def grow_bank(context: DesignContext) -> Design | Refusal:
    """More packs on the port that carries the old battery."""
    job, title = context.job, "More packs on the old battery"
    old = next((converter for converter in context.now if converter.has_battery), None)
    if old is None:
        return unbuildable(ARCHITECTURE, title, "none", "There is no battery to add packs to")
    coupling = "DC" if old.has_strings else "AC"
    if job.old_battery.fate == "remove":
        return unbuildable(ARCHITECTURE, title, coupling, "The survey lets the old battery go")
    added = Bank(context.bank.pack, context.bank.count)
    reasons = mixing_refusals(old.bank.pack, added.pack)
    count = old.bank.count + added.count
    old_kwh = old.bank.nominal_kwh
    health = (old_kwh * old.bank.health + added.nominal_kwh) / (old_kwh + added.nominal_kwh)
    whole = Bank(old.bank.pack, count, health)
    if not reasons:
        reasons = battery_refusals(whole, old.inverter, job)
    if reasons:
        return unbuildable(ARCHITECTURE, title, coupling, *reasons)
    grown = replace(old, held=whole, added=added)
    converters = tuple(grown if converter is old else converter for converter in context.now)
    return Design(ARCHITECTURE, title, coupling, converters)


ARCHITECTURE = Architecture(
    key="grow-bank",
    place=7,
    school="Grow what is there: no new unit",
    build=grow_bank,
    stays="No new unit: the packs join the port that is there.",
)
