"""What is known already of a job that is begun, before there is a verdict."""

from collections.abc import Iterator

from calm_relay.planning.common.joined import counted
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.plan import Plan
from calm_relay.planning.studies.battery_sweep import flags_of
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.views.figures import Figure


@said_in_region
def known_of(plan: Plan) -> tuple[Figure, ...]:
    """The place's light, the roof's yield, the home's year and the rules of thumb, each once its answer is there."""
    return tuple(_known(plan))


def _known(plan: Plan) -> Iterator[Figure]:
    job, site = plan.job, plan.site
    if "place" not in job.wanted:
        light = site.weather.ghi.sum() * site.calendar.step_h / 1000
        note = plan.assumed_note or site.source
        yield Figure(job.site.place, f"{light:,.0f} kWh/m² a year on the horizontal", note)
        supply = job.supply
        yield Figure(
            "Service", f"{supply.circuit.adjective}, {supply.volts:g} V, main fuse {supply.main_fuse_a:g} A",
            "assumed" if "supply.phases" in job.assumed else "the job’s survey",
        )  # fmt: skip
        if "array" not in job.wanted and plan.faces:
            rated = sum(face.rated_kw for face in plan.faces)
            made = sum(face.yearly_kwh for face in plan.faces)
            yield Figure(
                "The roof’s yield",
                f"{rated:.2f} kWp make {made:,.0f} kWh a year, {made / rated:,.0f} kWh/kWp",
                note,
            )
    elif "array" not in job.wanted and plan.faces:
        rated, laid = sum(face.rated_kw for face in plan.faces), sum(face.plan.count for face in plan.faces)
        yield Figure("Roof", f"{counted(laid, 'module')}, {rated:.2f} kWp", "as said")
    if "array" not in job.wanted and not plan.faces:
        yield Figure("Roof", "no array: the battery is charged from the grid", "as said")
    if "demand" not in job.wanted:
        yearly = plan.demand.yearly_kwh
        yield Figure("Home", f"{yearly:,.0f} kWh a year, {yearly / 365:.1f} kWh a day", plan.demand.source)
        if "place" not in job.wanted:
            yield from _thumbs(plan)


def _thumbs(plan: Plan) -> Iterator[Figure]:
    option = next((made for made in plan.live if made.design.battery_converter is not None), None)
    if not isinstance(option, Option):
        return
    for flag in flags_of(plan, option):
        # The roof's surplus waits for the roof, and one size up for a size.
        needs_roof = flag.name.endswith("sun")
        if flag.name != "one size up" and not (needs_roof and "array" in plan.job.wanted):
            yield Figure(
                f"Battery by “{flag.name}”", f"{flag.usable_kwh:.1f} kWh usable: {flag.sentence}", flag.source
            )
