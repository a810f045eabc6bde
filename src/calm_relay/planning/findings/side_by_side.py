"""Units side by side: simulated as one, which holds while their arrays are alike."""

from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.findings.base import Finding, Subject, check, warns_if

# Array on the fuller of two units over that on the emptier up to which one stands for both: common practice, no source.
ALIKE = 1.15
PRACTICE = "common practice, no source"


def array_by_unit_kw(converter: Converter) -> tuple[float, ...]:
    """Module power on the inputs of each of several units side by side [kW]."""
    units = converter.bank.units if converter.has_battery else 1
    total = [0.0] * units
    for run in converter.stringing.runs:
        total[(run.tracker_number - 1) % units] += run.kw
    return tuple(total)


@check
def check_units_alike(subject: Subject) -> list[Finding]:
    """Hybrids side by side stand in the simulation as one; strings should be spread evenly over them."""
    found = []
    for converter in subject.design.converters:
        if not (converter.has_battery and converter.has_array and converter.bank.units > 1):
            continue
        power = array_by_unit_kw(converter)
        summary = " and ".join(f"{kw:.2f}" for kw in power)
        ratio = max(power) / max(min(power), 1e-9)
        sentence = f"{converter.name}: one stands for all in the simulation; {summary} kWp hang on them."
        if ratio > ALIKE:
            sentence += " The fuller one clips more than is counted: spread the strings more evenly."
        found.append(
            warns_if(
                ratio > ALIKE, "units alike", "Strings", "string_plans", sentence,
                reading=(min(ratio, 99.0), ALIKE, ""), rule=PRACTICE,
            )
        )  # fmt: skip
    return found
