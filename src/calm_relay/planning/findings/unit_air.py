"""Heat and cold where a unit hangs outdoors: how much it gives there, and whether it runs."""

from calm_relay.planning.common.amounts import degrees_text
from calm_relay.planning.common.joined import counted
from calm_relay.planning.findings.base import Finding, Subject, check, warns

SHEET = "inverter datasheet; the site's air, in the shade"


@check
def check_unit_air(subject: Subject) -> list[Finding]:
    """The air of the year beyond what a unit gives its full power in, or works in at all."""
    air, site = subject.site.weather.temp_air, subject.job.site
    hottest = max(float(air.max()), -274.0 if site.hottest_c is None else site.hottest_c)
    coldest = min(float(air.min()), subject.context.temperatures.cold_c)
    found: dict[str, Finding] = {}
    for unit in subject.design.converters:
        sheet = unit.inverter
        if unit.micro is not None or sheet.key in found:
            continue
        said = []
        full, most, least = sheet.full_power_to_c, sheet.works_to_c, sheet.works_from_c
        if full is not None and hottest > full:
            hours = float((air > full).sum()) * subject.site.calendar.step_h
            days = int((air.reshape(365, -1).max(axis=1) > full).sum())
            often = f" on {counted(days, 'day')}, {hours:,.0f} h a year" if days else " in the hottest years"
            said.append(
                f"outdoors the air is above {degrees_text(full)}{often}, {degrees_text(hottest, 0)} at most, and there "
                "it gives less than its rating, which no run counts"
            )
        if most is not None and hottest > most:
            said.append(f"it parts above {degrees_text(most)}; it may be {degrees_text(hottest, 0)}")
        if least is not None and coldest < least:
            said.append(f"it works from {degrees_text(least)} on; outdoors it may be {degrees_text(coldest, 0)}")
        if not said:
            continue
        hot = [limit for limit in (full, most) if limit is not None and hottest > limit]
        found[sheet.key] = warns(
            "unit air",
            "Inverter",
            "site.weather",
            f"{unit.name}: {'; '.join(said)}. Hang it indoors, or where it is cool and dry.",
            reading=(hottest, hot[0], "°C") if hot else (coldest, least, "°C"),
            rule=SHEET,
        )
    return list(found.values())
