"""The options of a job: every architecture, those that cannot be built with their reasons."""

from dataclasses import replace

from calm_relay.planning.architecture.design import Design, DesignContext
from calm_relay.planning.architecture.refusals import connection_refusals, island_refusals
from calm_relay.planning.architecture.ways import architectures


def designs(context: DesignContext) -> tuple[Design, ...]:
    """Every architecture for a job in a fixed order, those that cannot be built with their reasons."""
    ordered = sorted(architectures(), key=lambda item: item.place_for(context))
    return tuple(within_connection(item.build(context), context) for item in ordered)


def within_connection(design: Design, context: DesignContext) -> Design:
    """The design, refused where the connection may not have it, or where it cannot stand off grid."""
    if not context.job.supply.on_grid:
        reasons = island_refusals(design) if design.new_converters else []
    else:
        reasons = connection_refusals(design, context.job) if design.new_converters else []
    return replace(design, converters=(), refused=tuple(reasons)) if reasons else design
