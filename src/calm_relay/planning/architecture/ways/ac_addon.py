"""The battery on an inverter of its own at the AC bus."""

from calm_relay.planning.architecture.design import Architecture, Design, DesignContext, Refusal
from calm_relay.planning.architecture.parts import coupled_on_ac, unbuildable


def ac_addon(context: DesignContext) -> Design | Refusal:
    """The battery on a unit of its own at the AC bus."""
    design = coupled_on_ac(context, ARCHITECTURE)
    if context.job.supply.on_grid:
        return design
    return unbuildable(ARCHITECTURE, design.title, "AC", "Off grid, the AC bus takes its place")


ARCHITECTURE = Architecture(
    key="ac-addon",
    place=1,
    school="Couple on the AC side: leave roof and inverter alone, work at ground level",
    build=ac_addon,
    role="AC",
    search_words="battery on the AC side",
    tried_with=lambda inverter, context: inverter.pv is None and context.job.supply.on_grid,
)
