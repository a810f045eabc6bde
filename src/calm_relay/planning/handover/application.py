"""What a network operator's form asks for: the figures of service, inverters and limiter, never a form of its own."""

from typing import Any

from calm_relay.job.model import Supply
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.operation.island import leg_volts
from calm_relay.planning.operation.phases import units_by_phase
from calm_relay.planning.verdict.option import Option

CAUTION = "Figures of a plan for the form of the network operator, who decides. Check each against the datasheets."


@said_in_region
def application_of(option: Option) -> dict[str, Any]:
    """The figures, as a tree of plain values that can be written as JSON.

    Parameters
    ----------
    option : Option
        An option that can be built.
    """
    job, design = option.context.job, option.design
    supply, tariff = job.supply, job.tariff
    shares = units_by_phase(design, job)
    place = "phase" if supply.circuit.has_neutral else "pair_of_phases"
    inverters: list[dict[str, Any]] = []
    for number, converter in enumerate(design.converters):
        inverter = converter.inverter
        inverters.append(
            {
                "name": inverter.name,
                "status": "new" if converter.is_new else "existing",
                "kind": "microinverters" if converter.micro is not None else inverter.kind,
                "ac_kw": inverter.ac_kw,
                "highest_ac_a": inverter.max_ac_a,
                "phases": inverter.phases,
                f"kw_on_each_{place}": [round(float(share) * inverter.ac_kw, 3) for share in shares[number]],
                "array_kwp": round(converter.array_kw, 3),
                "battery_usable_kwh": round(converter.bank.usable_kwh, 2) if converter.held is not None else 0.0,
                "forms_a_grid": inverter.backup is not None,
                "follows_the_frequency": inverter.frequency_watt,
                "counted_by_the_operator": converter in design.counted(supply),
            }
        )
    rules = {
        item.check: {
            "says": item.sentence,
            "by": item.rule,
            "severity": {"STOP": "stops", "CHECK": "check", "OK": "passes"}[item.severity.name],
        }
        for item in option.findings
        if item.check
        in ("notify or apply", "operator's sum", "export rule", "unbalance", "busbar", "hybrid counted")
    }
    per_phase = (
        [
            round(sum(unit[f"kw_on_each_{place}"][phase] for unit in inverters), 3)
            for phase in range(shares.shape[1])
        ]
        if inverters
        else []
    )
    return {
        "caution": CAUTION,
        "job": job.name,
        "customer": job.customer,
        "place": job.site.place,
        "option": option.title,
        "region": job.region,
        "service": {
            "on_grid": supply.on_grid,
            "phases": supply.phases,
            **_voltages(supply),
            "main_fuse_a": supply.main_fuse_a,
            "busbar_a": supply.busbar_a,
            "meter_counts": supply.meter,
        },
        "inverters": inverters,
        "removed": [gone.inverter.name for gone in design.removed],
        "inverter_kw_counted": round(design.counted_kw(supply), 3),
        f"inverter_kw_on_each_{place}": per_phase,
        "array_kwp": round(sum(converter.array_kw for converter in design.converters), 3),
        "export_limit_kw": tariff.export_limit_kw,
        "export_limiter": "none" if tariff.export_limit_kw is None else "by the inverters' own export control",
        "stored_energy_is_exported": tariff.stored_export and bool(job.control.export_windows),
        "anti_islanding": "by each inverter; the backed-up side is parted from the grid by the changeover",
        "rules": rules,
        "attached": ["single-line diagram", "wiring list", "datasheets of the inverters"],
    }


@said_in_region
def application_rows(option: Option) -> list[list[str | float | None]]:
    """The same as rows of a table, with a head."""
    rows: list[list[str | float | None]] = [["figure", "value"]]
    _flatten("", application_of(option), rows)
    return rows


def _flatten(path: str, value: Any, rows: list[list[str | float | None]]) -> None:
    if isinstance(value, dict):
        for name, inner in value.items():
            _flatten(f"{path}, {name}" if path else str(name), inner, rows)
    elif isinstance(value, list) and value and isinstance(value[0], dict):
        for number, inner in enumerate(value, 1):
            _flatten(f"{path} {number}", inner, rows)
    else:
        said = (", ".join(str(item) for item in value) or "none") if isinstance(value, list) else value
        if isinstance(said, bool):
            said = "yes" if said else "no"
        rows.append([_named(path), "not stated" if said is None else said])


UNITS = {"kwp": "kWp", "kwh": "kWh", "kw": "kW", "a": "A", "v": "V"}


def _named(path: str) -> str:
    """A figure's name as it is read: "inverter 1: highest AC, A" from its path."""
    *parents, name = path.split(", ")
    words = name.split("_")
    unit = next((UNITS[word] for word in words if (word in UNITS and word != "a") or word == words[-1] == "a"), "")
    kept = [word for word in words if UNITS.get(word, "") != unit or not unit]
    said = " ".join("AC" if word == "ac" else word for word in kept).strip()
    said = f"{said}, {unit}" if unit and said else said or unit
    return ": ".join([*parents, said]).replace("inverters ", "inverter ")


def _voltages(supply: Supply) -> dict[str, float]:
    if not supply.circuit.has_neutral:
        return {"voltage_between_phases_v": supply.volts}
    between = {"voltage_between_legs_v": supply.volts} if supply.phases == "split" else {}
    return {"voltage_to_neutral_v": leg_volts(supply.phases, supply.volts), **between}
