"""More packs on the port that carries the old battery."""

from dataclasses import replace

from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import Architecture, Converter, Design, DesignContext, Refusal
from calm_relay.planning.architecture.parts import arrays_on_ac, unbuildable
from calm_relay.planning.architecture.refusals import battery_refusals, mixing_refusals
from calm_relay.planning.equipment.bank import Bank


def grow_bank(context: DesignContext) -> Design | Refusal:
    """More packs on the port that carries the old battery."""
    job, title = context.job, "More packs on the old battery"
    there = [converter for converter in context.now if converter.has_battery]
    if not there:
        return unbuildable(ARCHITECTURE, title, "none", "There is no battery to add packs to")
    side, without = arrays_on_ac(context)
    staying = [item for item in side if not item.is_new and item.has_battery]
    coupling = "DC" if there[0].has_strings else "AC"
    if without:
        return unbuildable(ARCHITECTURE, title, coupling, *without)
    if not staying:
        return unbuildable(
            ARCHITECTURE, title, coupling, "The survey lets the old battery go, or what it hangs on"
        )
    added = Bank(context.bank.pack, context.bank.count, stacks=context.bank.stacks)
    tried = [(item, grown_bank(item.bank, added), _reasons(item, added, job)) for item in staying]
    # Of several batteries the first that takes the packs; the nearest miss tells most.
    old, whole, reasons = min(tried, key=lambda item: len(item[2]))
    coupling = "DC" if old.has_strings else "AC"
    if reasons:
        return unbuildable(ARCHITECTURE, title, coupling, *reasons)
    grown = replace(old, held=whole, added=added)
    converters = tuple(grown if converter is old else converter for converter in side)
    return Design(ARCHITECTURE, title, coupling, converters, context.leaving(converters))


def grown_bank(old: Bank, added: Bank) -> Bank:
    """Old and new packs on one port, with what the old ones still hold."""
    old_kwh = old.nominal_kwh
    health = (old_kwh * old.health + added.nominal_kwh) / (old_kwh + added.nominal_kwh)
    return Bank(old.pack, old.count + added.count * added.stacks, health)


def _reasons(old: Converter, added: Bank, job: Job) -> list[str]:
    """Reasons why packs cannot join a battery that is there."""
    reasons = mixing_refusals(old.bank.pack, added.pack)
    return reasons or battery_refusals(grown_bank(old.bank, added), old.inverter, job)


ARCHITECTURE = Architecture(
    key="grow-bank",
    place=7,
    school="Grow what is there: no new battery inverter",
    build=grow_bank,
    stays="The packs join the port that is there.",
)
