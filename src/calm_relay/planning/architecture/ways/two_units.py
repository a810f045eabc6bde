"""One battery unit more beside the other."""

from collections.abc import Sequence
from dataclasses import replace

from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import (
    Architecture,
    BuiltOption,
    Design,
    DesignContext,
    Refusal,
    Spoken,
)
from calm_relay.planning.architecture.existing_system import battery_stays
from calm_relay.planning.architecture.parts import (
    coupled_on_ac,
    unbuildable,
    with_bank,
)
from calm_relay.planning.common.amounts import money_text, years_text


def two_units(context: DesignContext) -> Design | Refusal:
    """One battery unit more beside the other: energy and power, where an expansion adds energy only."""
    if (
        context.job.existing_battery is not None
        and battery_stays(context.job)
        and any(converter.has_battery and not converter.has_strings for converter in context.now)
    ):
        reason = "The old battery stays on a unit of its own: the AC-coupled add-on is the second unit here"
        return unbuildable(ARCHITECTURE, "Second battery unit", "AC", reason)
    units = context.bank.units + 1
    design = coupled_on_ac(with_bank(context, units=units), ARCHITECTURE)
    return replace(design, title="Second battery unit" if units == 2 else f"{units} battery units")


def second_unit(option: BuiltOption, others: Sequence[BuiltOption], job: Job) -> Spoken:
    """A unit more adds energy and power; the figures of the option with one unit less stand beside it."""
    one = next((item for item in others if item.role in {"AC", "AC off grid"}), None)
    if one is None:
        return []
    now, before = option.outcome, one.outcome
    sentence = (
        f"A second unit adds energy and power: {before.limit.power_kw:.1f} to {now.limit.power_kw:.1f} kW; "
        "a bare expansion would add energy only."
    )
    more = now.money.saving - before.money.saving
    extra = now.money.outlay - before.money.outlay
    result: Spoken = [(True, "ride_through_outage", sentence)]
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
