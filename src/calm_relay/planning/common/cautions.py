"""What every screen and report says where the work can hurt someone."""

from calm_relay.job.model import Supply

_ISOLATE = "Isolate and prove dead before touching mains or battery; never unplug a DC connector under load."
_PLACE = (
    "Keep the battery's clearances and ventilation; no battery where floods or heat reach it, where people sleep, or "
    "on their way out."
)
_RULES = "Rules shown are dated presets that can be edited; the local code is the authority over them."
CAUTIONS = (
    "This plan does not authorise work. Local codes, the network operator and licensed practice decide.",
    _ISOLATE,
    _PLACE,
    "Work at height needs fall protection. Backfeed can kill line workers: backup needs a tested changeover.",
    _RULES,
)
OFF_GRID_CAUTIONS = (
    "This plan does not authorise work. Local codes and licensed practice decide.",
    _ISOLATE,
    _PLACE,
    "Work at height needs fall protection. An island kills as a grid does, and generator and inverters may each feed "
    "it: stop and isolate all of them.",
    _RULES,
)


def cautions_of(supply: Supply) -> tuple[str, ...]:
    """The cautions for a house on the grid or without one, the plan's own standing first."""
    return CAUTIONS if supply.on_grid else OFF_GRID_CAUTIONS


def who_decides(supply: Supply) -> str:
    """Those whose word goes before a plan's."""
    return f"local codes{', the network operator' if supply.on_grid else ''} and licensed practice"
