"""What the bench Wiring says of a cable or a part: its limits as bars, its sentences, and all cables as a table."""

from dataclasses import dataclass

from calm_relay.planning.common.amounts import amount_text, degrees_text, rated_text
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.findings import Finding
from calm_relay.planning.studies.cable_losses import CableYear, cable_years
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.wiring.cable import Cable, size_words
from calm_relay.planning.wiring.names import name_of
from calm_relay.planning.wiring.wiring import WiringPlan

BINDING = {
    "current": "current",
    "voltage drop": "voltage drop",
    "voltage rise": "voltage rise",
    "short circuit": "short circuit",
    "breaker": "the breaker it may have",
    "smallest size": "smallest that is laid",
}


@dataclass(frozen=True)
class LimitBar:
    """How much of a limit is used."""

    name: str
    used: float
    words: str
    severity: Severity


@dataclass(frozen=True)
class CableSheet:
    """One cable for the bench: name, size, why, how it stands, and what it costs in heat."""

    key: str
    title: str
    size: str
    why: str
    bars: tuple[LimitBar, ...]
    lines: tuple[str, ...]


@dataclass(frozen=True)
class WiringSheet:
    """All that the bench Wiring draws of an option."""

    plan: WiringPlan
    years: dict[str, CableYear]
    findings: tuple[Finding, ...]
    currency: str

    def cable(self, key: str) -> CableSheet:
        """One cable by its key.

        Raises
        ------
        KeyError
            When there is none.
        """
        return _sheet(self.plan.cable(key), self)

    @property
    def keys(self) -> tuple[str, ...]:
        """Every sized cable, from the grid on."""
        return tuple(cable.edge.key for cable in self.plan.cables)

    def rows(self) -> list[list[str]]:
        """Every cable as a row: name, cable, length, protection, what binds, drop, lost in a year, next size."""
        result = []
        for cable in self.plan.cables:
            year = self.years.get(cable.edge.key)
            device = f"{cable.device.amps:g} A {cable.device_kind}" if cable.device is not None else ""
            runs = f"{cable.edge.runs} × " if cable.edge.runs > 1 else ""
            size = cable.words if not cable.is_there else f"not seen; {cable.words} fits"
            saves = ""
            if year is not None and year.next_size and year.saved_money >= 0.5:
                saves = amount_text(year.saved_money, self.currency)
            result.append(
                [
                    name_of(cable.edge, self.plan.topology),
                    f"{runs}({size})" if runs else size,
                    self.plan.tables.length_words(cable.laid.length_m)
                    + (" *" if "length_m" in cable.laid.assumed else ""),
                    device,
                    BINDING[cable.binding] if not cable.typed else "as typed",
                    f"{cable.drop_share:.1%}",
                    f"{year.lost_kwh:,.0f} kWh" if year is not None else "",
                    saves,
                ]
            )
        return result


HEADS = ("Cable", "Size", "Length", "Protection", "Sized by", "Drop", "Lost a year", "Next size saves")
HEADS_NOTE = (
    "* assumed. Lost: heat of the cable over the simulated year. Next size saves: over the job's years at today's "
    "price of a kWh, without interest."
)


def wiring_sheet(option: Option) -> WiringSheet | None:
    """What the bench draws of an option; None where the region has no tables of wires."""
    plan = option.wiring
    if plan is None:
        return None
    years = {year.key: year for year in cable_years(option, plan)}
    found = tuple(item for item in option.findings if item.station == "Wiring" or item.check == "busbar")
    return WiringSheet(plan, years, found, option.context.job.tariff.currency)


def _bar(name: str, used: float, limit: float | None, words: str) -> LimitBar | None:
    if limit is None or limit <= 0.0:
        return None
    share = used / limit
    return LimitBar(name, share, words, Severity.STOP if share > 1.0 + 1e-9 else Severity.OK)


def _sheet(cable: Cable, sheet: WiringSheet) -> CableSheet:
    edge, limits, laid = cable.edge, cable.limits, cable.laid
    loads = cable.asked_a
    bars = [
        _bar("Current", loads, cable.capacity_a, f"{loads:.0f} of {cable.capacity_a:.0f} A"),
        _bar("Voltage drop", cable.drop_share, limits.drop, f"{cable.drop_share:.1%} of {limits.drop or 0:.0%}"),
    ]
    if edge.kind in ("unit", "branch") and limits.rise is not None:
        bars.append(
            _bar("Voltage rise", cable.rise_share, limits.rise, f"{cable.rise_share:.1%} of {limits.rise:.1%}")
        )
    if cable.least_mm2 > 0.0 and cable.size is not None:
        area = cable.size.mm2 * laid.parallel
        bars.append(
            _bar("Short circuit", cable.least_mm2 * laid.parallel, area, f"{cable.least_mm2:.1f} of {area:g} mm²")
        )
    lines = [f"Carries {edge.amps:.1f} A for hours; counted {limits.needed_a:.1f} A. Up to {edge.open_v:.0f} V."]
    if limits.share < 1.0:
        whose = f"{sheet.plan.tables.authority}, {sheet.plan.tables.dwelling_clause}, from memory"
        lines.append(f"Feeds all of a dwelling: it must carry {limits.share:.0%} of the rating ({whose}).")
    if cable.clause:
        by = f"By {cable.clause}: × {cable.ambient:.2f} for {degrees_text(laid.ambient_c)} around it"
        lines.append(f"{by}, × {cable.grouping:.2f} for {laid.grouped} side by side.")
    if cable.device is not None:
        lines.append(f"Protected by {rated_text(cable.device.amps, cable.device_kind)}.")
    year = sheet.years.get(edge.key)
    if year is not None:
        said = f"Loses {year.lost_kwh:,.0f} kWh a year"
        if year.next_size and year.saved_kwh >= 0.5:
            size = size_words(sheet.plan.tables.size(year.next_size))
            said += f"; {size} would save {year.saved_kwh:,.0f} kWh a year"
            said += f", {amount_text(year.saved_money, sheet.currency)} over the job's years"
        lines.append(f"{said}.")
    if cable.problem:
        lines.insert(0, f"{cable.problem}.")
    if cable.typed:
        why = "as typed"
    elif cable.size is None:
        why = f"no size meets: {', '.join(cable.missed)}"
    else:
        why = f"sized by {BINDING[cable.binding]}"
    runs = f"{edge.runs} × " if edge.runs > 1 else ""
    size = cable.words if not cable.is_there else f"there, size not seen; {cable.words} would do"
    return CableSheet(
        edge.key,
        name_of(edge, sheet.plan.topology),
        f"{runs}({size})" if runs else size,
        why,
        tuple(bar for bar in bars if bar is not None),
        tuple(lines),
    )
