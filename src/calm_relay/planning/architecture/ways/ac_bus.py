"""String inverters behind grid-forming battery inverters, for a site off grid."""

from dataclasses import replace

from calm_relay.planning.architecture.design import Architecture, Design, DesignContext, Refusal
from calm_relay.planning.architecture.parts import coupled_on_ac, unbuildable


def ac_bus(context: DesignContext) -> Design | Refusal:
    """String inverters behind grid-forming battery inverters, which is for a site off grid."""
    title = "AC bus, off grid"
    if context.job.supply.on_grid:
        reason = (
            "This site has a grid connection: an AC bus is for off-grid sites; the AC-coupled add-on is its kin"
        )
        return unbuildable(ARCHITECTURE, title, "AC", reason)
    return replace(coupled_on_ac(context, ARCHITECTURE), title=title)


ARCHITECTURE = Architecture(
    key="ac-bus",
    place=9,
    school="An AC bus off grid: string inverters behind a grid-forming battery inverter",
    build=ac_bus,
    role="AC off grid",
    search_words="AC bus, off grid",
    tried_with=lambda inverter, context: inverter.pv is None and not context.job.supply.on_grid,
)
