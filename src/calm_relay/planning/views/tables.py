"""The plan as plain tables, for spreadsheets."""

from calm_relay.planning.plan import Plan
from calm_relay.planning.views.figures import SHOWS, figures_of
from calm_relay.planning.views.scales import Scale, cost_scales_of, loss_scales_of, scales_of
from calm_relay.planning.views.wiring_list import wiring_rows

Table = list[list[str | float | None]]


def tables_of(plan: Plan) -> dict[str, Table]:
    """Tables by name, each with a head: comparison, losses, costs, findings, reasons, assumptions, wiring."""
    titles = [option.title for option in plan.options]
    return {
        "comparison": _scales(scales_of(plan), titles, plan),
        "losses": _scales(loss_scales_of(plan), titles, plan),
        "costs": _scales(cost_scales_of(plan), titles, plan),
        "findings": _findings(plan),
        "reasons": _reasons(plan),
        "assumptions": assumptions_of(plan),
        "wiring": wiring_rows(plan.live),
    }


def _scales(scales: tuple[Scale, ...], titles: list[str], plan: Plan) -> list[list[str | float | None]]:
    rows: Table = [["measure", *titles, "what it means", "rests on"]]
    for scale in scales:
        values = [None if value in (None, float("inf")) else round(value, 6) for value in scale.values]
        rests = (plan.assumed_note or plan.site.source) if scale.yearly else "datasheets and the job"
        rows.append([scale.label, *values, scale.note, rests])
    return rows


def _findings(plan: Plan) -> list[list[str | float | None]]:
    rows: Table = [["option", "severity", "station", "finding", "measured", "limit", "unit", "rule"]]
    for option in plan.options:
        for item in option.findings:
            what = [option.title, item.severity.name.lower(), item.station, item.sentence]
            rows.append([*what, item.measured, item.limit, item.unit, item.rule])
    return rows


def _reasons(plan: Plan) -> list[list[str | float | None]]:
    rows: Table = [["option", "for or against", "reason"]]
    for option in plan.options:
        for reason in plan.choice.reasons.get(option.key, ()):
            rows.append([option.title, "for" if reason.speaks_for else "against", reason.sentence])
    return rows


def assumptions_of(plan: Plan) -> Table:
    """What the plan rests on, and where each comes from, for the option that fits best, else the first."""
    chosen = plan.option(plan.choice.key) if plan.choice.key else plan.options[0]
    rows: Table = [["station", "what", "value", "from"]]
    for station in SHOWS:
        given = [item for item in figures_of(plan, chosen, station) if not item.result]
        rows += [[station, item.label.strip(), item.value, item.source] for item in given]
    losses, battery = plan.job.losses, plan.job.battery
    in_feet = plan.equipment.library.in_feet(plan.job)
    for name in ("soiling", "shading", "mismatch", "wiring"):
        rows.append(["Roof", f"Loss by {name}", f"{getattr(losses, name):.1%}", "the job, assumed"])
    if plan.job.site.snow is not None:
        rows.append(["Roof", "Snow on the modules", plan.job.site.snow.summary(in_feet), "the job's survey"])
    for face in plan.faces:
        text = f"{face.plan.count} × {face.module.name}, {face.plan.tilt:g}° tilt, {face.plan.azimuth:g}° azimuth"
        rows.append(["Roof", face.plan.name, text, "the job's survey; module datasheet"])
    rows.append(["Battery", "Reserve for an outage", f"{battery.reserve:.0%}", "the job"])
    for window in battery.charge_windows:
        text = f"{window.start} to {window.end}, up to {window.target:.0%}"
        rows.append(["Battery", "Charged from the grid", text, "the job"])
    if plan.job.control.by_price is not None:
        rows.append(["Battery", "Charged by price", plan.job.control.by_price.summary, "the job"])
    return rows
