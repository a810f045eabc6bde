"""What a region wants watched or shut off: arcs in strings on a building, and a battery from outside the house."""

from collections.abc import Iterator

from calm_relay.planning.architecture.design import Converter, Design
from calm_relay.planning.equipment.rules import InForce, Rules
from calm_relay.planning.strings.stringing import SURVEYED

ARC_FAULT, BATTERY_SHUTDOWN = "arc fault volts", "battery shutdown kWh"
# Cells at which a string's working voltage is told [degC].
WORKING_C = 25.0


def arcs_watched(design: Design, rule: InForce | None) -> Iterator[tuple[Converter, float]]:
    """Units with new strings on a building above a rule's voltage, and the highest that these work at [V].

    Strings that stay as they hang today are not held to it, nor is an array on the ground.
    """
    if rule is None:
        return
    for converter in design.converters:
        if not converter.has_array or converter.micro is not None or converter.inverter.plug_in:
            continue
        if not converter.is_new and converter.stringing.origin == SURVEYED:
            continue
        laid = [run for run in converter.stringing.runs if run.face.plan.covering != "ground"]
        volts = max((run.working_v(WORKING_C) for run in laid), default=0.0)
        if volts > rule.limit:
            yield converter, volts


def shut_down_outside_kwh(design: Design, rules: Rules) -> float | None:
    """Nominal energy of a battery that comes, where the region wants it shut down from outside [kWh]; None: not so."""
    rule, lead = rules.of(BATTERY_SHUTDOWN), design.battery_converter
    if rule is None or lead is None or not lead.battery_moves:
        return None
    kwh = lead.bank.nominal_kwh
    return kwh if kwh > rule.limit else None
