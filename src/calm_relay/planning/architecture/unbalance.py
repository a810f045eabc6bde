"""How far inverters of one phase may set the phases of a three-phase service apart, by the rules in force."""

from dataclasses import dataclass, replace

import numpy as np

from calm_relay.job.equipment import Inverter
from calm_relay.planning.architecture.design import Converter, Design, DesignContext, kw_on_phases
from calm_relay.planning.equipment.rules import InForce


@dataclass(frozen=True)
class Unbalance:
    """How far the fullest phase is from the emptiest, and how far it may be [kW].

    `as_today` says that what hung there before is as far apart, and nothing new hangs on one phase.
    """

    kw: float
    limit_kw: float
    as_today: bool

    @property
    def over(self) -> bool:
        """Whether it is more than may be."""
        return self.kw > self.limit_kw + 1e-9

    @property
    def stops(self) -> bool:
        """Whether it may not be built so: more than may be, and by what is new."""
        return self.over and not self.as_today


def _rule(context: DesignContext) -> InForce | None:
    """The rule on unbalance, where a grid of three phases asks for it."""
    supply = context.job.supply
    return context.survey.rules.of("unbalance kW") if supply.on_grid and supply.phases == "three" else None


def unbalance_of(design: Design, context: DesignContext) -> Unbalance | None:
    """How far a design sets phases apart; None where no rule asks for it."""
    rule, supply = _rule(context), context.job.supply
    if rule is None or not design.new_converters:
        return None
    apart = float(np.ptp(design.counted_on_phases(supply)))
    today = float(np.ptp(replace(design, converters=context.now).counted_on_phases(supply)))
    on = zip(design.converters, design.phases(supply), strict=True)
    # What is new keeps to the rule, however much hung there before it.
    adds = any(phase and unit.is_new for unit, phase in on)
    return Unbalance(apart, rule.limit, not adds and apart <= today + 1e-9)


def uneven_kw(context: DesignContext, inverter: Inverter, beside: tuple[Converter, ...]) -> float:
    """How far a new inverter beside others would set phases apart beyond what the rules allow [kW]."""
    rule, supply = _rule(context), context.job.supply
    if rule is None:
        return 0.0
    units = [*beside, Converter(inverter)]
    on = [unit.usual_phase(supply) if unit.inverter.phases == "single" else 0 for unit in units]
    apart = float(np.ptp(kw_on_phases(zip(units, on, strict=True), supply)))
    return max(apart - rule.limit - 1e-9, 0.0)


def excess_kw(context: DesignContext, inverter: Inverter, beside: tuple[Converter, ...]) -> float:
    """By how much a new inverter beside others would be more than a phase, or the connection, may have [kW]."""
    supply, uneven = context.job.supply, uneven_kw(context, inverter, beside)
    if supply.inverter_limit_kw is None or not supply.on_grid:
        return uneven
    counted = [unit.inverter.ac_kw for unit in (*beside, Converter(inverter)) if unit.is_counted(supply)]
    return uneven + max(sum(counted) - supply.inverter_limit_kw - 1e-9, 0.0)


def sets_apart(context: DesignContext, design: Design, unit: Converter, other: Inverter) -> bool:
    """Whether another inverter in place of a unit would set phases apart beyond the rules, and more than that does."""
    beside = tuple(item for item in design.converters if item is not unit)
    instead = other.on_phases(context.bank.units, context.job.supply.phases) if unit.has_battery else other
    return uneven_kw(context, instead, beside) > uneven_kw(context, unit.inverter, beside)
