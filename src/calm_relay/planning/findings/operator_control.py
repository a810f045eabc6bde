"""What the network operator holds back: the export of a new array, and loads that it may reduce."""

from collections.abc import Iterator
from functools import partial

from calm_relay.planning.common.amounts import in_pair
from calm_relay.planning.common.joined import joined
from calm_relay.planning.findings.base import Finding, Mend, Subject, grid_check, warns_if
from calm_relay.planning.findings.supply import with_export_limit
from calm_relay.planning.site.controlled_loads import heat_pump_most_kw


@grid_check
def check_new_array_export(subject: Subject) -> list[Finding]:
    """Of a new array only a share may leave the site; what was there before is not held to it."""
    rule = subject.rules.of("new array export share")
    if rule is None:
        return []
    units = [unit for unit in subject.design.pv_converters if not unit.inverter.plug_in]
    new_kw = sum(face.rated_kw for unit in units for face in unit.faces if not face.plan.is_there)
    there_kw = sum(face.rated_kw for unit in units for face in unit.faces if face.plan.is_there)
    if new_kw <= 0.0:
        return []
    limit = rule.limit * new_kw + there_kw
    cap = subject.job.tariff.export_limit_kw
    able = min(sum(unit.inverter.ac_kw for unit in units), new_kw + there_kw)
    able = able if cap is None else min(able, cap)
    over = able > limit + 1e-9
    held = f"{rule.limit:.0%} of {new_kw:.2f} kWp"
    if there_kw > 0.0:
        held += f", and the {there_kw:.2f} kWp that are there"
    may, most = in_pair(able, limit, 2)
    kw = int(limit * 10.0 + 1e-9) / 10.0
    mends = (Mend(f"Limit export to {kw:g} kW", partial(with_export_limit, kw=kw)),) if over and kw > 0.0 else ()
    return [
        warns_if(
            over,
            "new array's export",
            "Grid",
            "tariff.export_limit_kw",
            f"Up to {may} kW may leave the site; {rule.rule.name.lower()} is {held}: {most} kW, for "
            f"{rule.rule.applies_to}.",
            reading=(able, limit, "kW"),
            rule=rule.authority,
            mends=mends,
        )
    ]


@grid_check
def check_controllable(subject: Subject) -> list[Finding]:
    """New loads above a limit are registered, and the operator may reduce each to it."""
    rule = subject.rules.of("controllable kW")
    if rule is None:
        return []
    drawn = dict(_drawn(subject))
    above = {name: kw for name, kw in drawn.items() if kw > rule.limit + 1e-9}
    if not drawn:
        return []
    if above:
        listed = joined([f"{name}, {kw:.1f} kW" for name, kw in above.items()])
        each = "Each" if len(above) > 1 else "It"
        said = (
            f"{listed}: more than {rule.limit:g} kW. {each} is registered with the network operator, who may reduce "
            f"it to {rule.limit:g} kW for a while when its cables are full, and charges less for the network."
        )
    else:
        said = f"No new load draws more than {rule.limit:g} kW: none is registered as controllable."
    return [
        warns_if(
            bool(above),
            "controllable",
            "Grid",
            "region",
            said,
            reading=(max(drawn.values()), rule.limit, "kW"),
            rule=rule.authority,
        )
    ]


def _drawn(subject: Subject) -> Iterator[tuple[str, float]]:
    """New cars, heat pumps and batteries that are charged from the grid, and the most that each draws of it [kW]."""
    job = subject.job
    for car in job.demand.cars:
        if car.planned:
            yield car.name, car.charger_kw
    for pump in job.demand.heat_pumps:
        if pump.planned:
            yield pump.name, heat_pump_most_kw(pump, subject.site)
    lead = subject.design.battery_converter
    by_price = job.control.by_price
    bought = bool(job.battery.charge_windows) or by_price is not None
    if lead is not None and lead.battery_is_new and bought and not subject.design.by_clock:
        takes_kw = min(lead.inverter.ac_kw, *lead.bank.dc_limits(lead.inverter, "charge", 0.5).values())
        limits = [window.limit_kw for window in job.battery.charge_windows]
        limits += [by_price.limit_kw] if by_price is not None else []
        windows_kw = [takes_kw if limit_kw is None else limit_kw for limit_kw in limits]
        yield f"{lead.name} while it charges from the grid", min(takes_kw, max(windows_kw))
