"""Strings on a building that a region wants brought down to few volts when the array is shut down."""

from dataclasses import dataclass

from calm_relay.planning.architecture.design import Design, DesignContext
from calm_relay.planning.equipment.rules import InForce
from calm_relay.planning.strings.stringing import SURVEYED

SHUTDOWN = "array shutdown volts"


@dataclass(frozen=True)
class RapidShutdown:
    """What a region asks of the strings that are laid or changed, and what of it their own electronics do.

    Attributes
    ----------
    rule : InForce
        The volts that may be left within the array [V].
    volts : float
        The highest open-circuit voltage of a string without electronics when coldest [V]; 0 where there is none.
    bare : int
        Modules of strings above the limit, without electronics under them.
    optimised : int
        Modules with an optimiser under each.
    """

    rule: InForce
    volts: float
    bare: int
    optimised: int


def rapid_shutdown(design: Design, context: DesignContext) -> RapidShutdown | None:
    """What a rapid shutdown asks of a design; None where the region asks for none, or no new string lies on a building.

    An array on the ground, and strings that stay as they hang today, are not held to it.
    """
    rule = context.rules.of(SHUTDOWN)
    if rule is None:
        return None
    runs = [
        run
        for converter in design.converters
        if converter.has_array and converter.micro is None
        if converter.is_new or converter.stringing.origin != SURVEYED
        for run in converter.stringing.runs
        if run.face.plan.covering != "ground"
    ]
    cold_c = context.temperatures.cold_c
    above = [run for run in runs if run.optimiser is None and run.open_v(cold_c) > rule.limit]
    optimised = sum(run.modules for run in runs if run.optimiser is not None)
    if not above and not optimised:
        return None
    return RapidShutdown(
        rule,
        max((run.open_v(cold_c) for run in above), default=0.0),
        sum(run.modules for run in above),
        optimised,
    )
