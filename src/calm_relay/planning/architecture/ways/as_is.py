"""What stands there today, left as it is."""

from calm_relay.planning.architecture.design import Architecture, Design, DesignContext


def as_is(context: DesignContext) -> Design:
    """The converters of today, and nothing more."""
    return Design(ARCHITECTURE, "As it is", "none", context.now)


ARCHITECTURE = Architecture(
    key="as-is",
    place=0,
    school="Leave it alone: no battery earns its price here",
    build=as_is,
    role="today",
)
