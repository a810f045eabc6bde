"""The options of a job: every architecture, those that cannot be built with their reasons."""

from dataclasses import replace

from calm_relay.planning.architecture.connections import told_apart
from calm_relay.planning.architecture.design import Design, DesignContext, Refusal
from calm_relay.planning.architecture.rapid_shutdown import rapid_shutdown
from calm_relay.planning.architecture.refusals import connection_refusals, island_refusals
from calm_relay.planning.architecture.ways import architectures


def designs(context: DesignContext) -> tuple[Design | Refusal, ...]:
    """Every architecture for a job in a fixed order, those that cannot be built with their reasons."""
    ordered = sorted(architectures(), key=lambda item: item.place_for(context))
    made = (within_connection(item.build(context), context) for item in ordered)
    return tuple(
        design if isinstance(design, Refusal) else replace(design, converters=told_apart(design.converters))
        for design in made
    )


def within_connection(design: Design | Refusal, context: DesignContext) -> Design | Refusal:
    """The design with what a shutdown asks of its strings; refused where connection or island may not have it."""
    if isinstance(design, Refusal) or not design.new_converters:
        return design
    on_grid = context.job.supply.on_grid
    reasons = connection_refusals(design, context.job) if on_grid else island_refusals(design, context.job)
    if reasons:
        return Refusal(design.architecture, design.title, design.coupling, tuple(reasons))
    asked = rapid_shutdown(design, context)
    return design if asked is None else replace(design, shutdown=asked)
