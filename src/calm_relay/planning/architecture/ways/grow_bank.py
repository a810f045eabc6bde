"""More packs on the port that carries the old battery.

They are those that the job states where they may stand beside the old ones; else more of the old kind, where it is
still on offer, as near as they come to the energy that the job wants.
"""

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
from calm_relay.planning.architecture.parts import arrays_on_ac, of_kind, unbuildable
from calm_relay.planning.architecture.refusals import battery_refusals, mixing_refusals
from calm_relay.planning.equipment.bank import Bank, may_mix

# What lead-acid must still hold for new cells to join it: common practice, no source.
WORN_LEAD = 0.9


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
    tried = [(item, added, _reasons(item, added, job)) for item in staying for added in _addable(item, context)]
    # Of several batteries the first that takes the packs; the nearest miss tells most.
    old, added, reasons = min(tried, key=lambda item: len(item[2]))
    coupling = "DC" if old.has_strings else "AC"
    if reasons:
        return unbuildable(ARCHITECTURE, title, coupling, *reasons)
    grown = replace(old, held=grown_bank(old.bank, added), added=added)
    converters = tuple(grown if converter is old else converter for converter in side)
    return Design(ARCHITECTURE, title, coupling, converters, context.leaving(converters))


def _addable(old: Converter, context: DesignContext) -> list[Bank]:
    """What may be tried beside an old battery: the job's packs, or so many of the old kind, the most first."""
    stated, kind = context.bank, old.bank.pack
    more = [] if may_mix(kind, stated.pack) else of_kind(kind, context)
    return more or [Bank(stated.pack, stated.count, stacks=stated.stacks)]


def grown_bank(old: Bank, added: Bank) -> Bank:
    """Old and new packs on one port, with what the old ones still hold."""
    old_kwh = old.nominal_kwh
    health = (old_kwh * old.health + added.nominal_kwh) / (old_kwh + added.nominal_kwh)
    return Bank(old.pack, old.count + added.count * added.stacks, health)


def _reasons(old: Converter, added: Bank, job: Job) -> list[str]:
    """Reasons why packs cannot join a battery that is there."""
    reasons = mixing_refusals(old.bank.pack, added.pack)
    if old.bank.pack.is_lead and old.bank.health < WORN_LEAD:
        name, left = old.bank.pack.name, old.bank.health
        reasons.append(f"{name} holds {left:.0%} of what it did; beside worn lead-acid new cells wear as fast")
    return reasons or battery_refusals(grown_bank(old.bank, added), old.inverter, job)


def _joined(option: BuiltOption, others: Sequence[BuiltOption], job: Job) -> Spoken:
    """What joins, where it is not what the job states."""
    converter = next(unit for unit in option.design.converters if unit.added is not None)
    added, stated = converter.bought_packs, option.context.bank.pack
    if added is None or added.pack.key == stated.key:
        return []
    sentence = f"{added.summary} join, of the old kind: {stated.name} may not stand beside it."
    return [(True, "lower_bills", sentence)]


ARCHITECTURE = Architecture(
    key="grow-bank",
    place=7,
    school="Grow what is there: no new battery inverter",
    build=grow_bank,
    stays="The packs join the port that is there.",
    reasons=_joined,
)
