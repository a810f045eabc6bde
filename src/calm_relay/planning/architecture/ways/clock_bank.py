"""A small lead-acid bank on a time clock, without metering."""

from collections.abc import Sequence
from dataclasses import replace

from calm_relay.job.equipment import Inverter, by_price
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
from calm_relay.planning.architecture.parts import arrays_on_ac, unbuildable
from calm_relay.planning.architecture.pick import Search, pick
from calm_relay.planning.architecture.refusals import battery_refusals
from calm_relay.planning.architecture.unbalance import excess_kw
from calm_relay.planning.equipment.bank import Bank

# State of charge from which a bank counts as full.
FULL = 0.98


def clock_bank(context: DesignContext) -> Design | Refusal:
    """A small lead-acid bank on a time clock, without metering."""
    job, title = context.job, "Small bank on a time clock"
    lead = [pack for pack in context.equipment.on_offer.packs if pack.is_lead]
    if context.bank.pack.is_lead:
        lead = [context.bank.pack]
    if not lead:
        return unbuildable(ARCHITECTURE, title, "AC", "The catalogue holds no lead-acid bank")
    pack = min(lead, key=by_price)
    bank = Bank(pack, context.bank.count if context.bank.pack.is_lead else pack.count_min)

    def refusals(inverter: Inverter) -> list[str]:
        return battery_refusals(bank, inverter, job)

    inverter, reasons = pick(
        replace(context, bank=bank),
        Search(
            None,
            "",
            lambda item: item.pv is None and not item.plug_in,
            refusals,
            refusals,
            lambda item: item.ac_kw,
            0.0,
            lambda item: excess_kw(context, item, context.now),
        ),
    )
    if inverter is None:
        return unbuildable(ARCHITECTURE, title, "AC", *reasons)
    if not any(converter.has_array for converter in context.now):
        reason = "A time clock charges in the sun hours of an array that is there; this roof is bare"
        return unbuildable(ARCHITECTURE, title, "AC", reason)
    side, reasons = arrays_on_ac(context)
    if reasons:
        return unbuildable(ARCHITECTURE, title, "AC", *reasons)
    converters = (*side, Converter(inverter, held=bank))
    return Design(ARCHITECTURE, title, "AC", converters, context.leaving(converters), by_clock=True)


def blind(option: BuiltOption, others: Sequence[BuiltOption], job: Job) -> Spoken:
    """A battery that sees no meter charges and gives at the wrong times too."""
    converter = option.design.battery_converter
    year = option.outcome.year
    number = option.design.converters.index(converter)
    soc = year.of("stored", number).reshape(365, -1) / year.plant[number].bank.usable_kwh
    full = int((soc.max(axis=1) > FULL).sum())
    sentence = f"Charged by the clock in the sun hours, it is full on {full} days; lead-acid wants all of them."
    unseeing = "It sees no meter: on dark days it charges from the grid, and gives when nobody asks."
    return [(full >= 300, "low_outlay", sentence), (False, "lower_bills", unseeing)]


ARCHITECTURE = Architecture(
    key="clock-bank",
    place=10,
    school="A small lead-acid bank, charged by the clock in the sun hours, full every day",
    build=clock_bank,
    reasons=blind,
)
