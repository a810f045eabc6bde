"""What a battery is usually bought for, until somebody says what for."""

from calm_relay.job.country import Country
from calm_relay.job.model import Job, Purpose

# Common practice, no source: a bill is what most begin with, and a grid that fails now and then comes last.
WEIGHTS = {"lower_bills": 5.0, "self_sufficiency": 3.0, "ride_through_outage": 1.0, "low_outlay": 2.0}
WHERE_IT_FAILS_OFTEN = 2.0
# Without a grid whatever is not served is missing.
OFF_GRID = 5.0


def usual_purposes(usual: Country) -> tuple[Purpose, ...]:
    """The purposes of a house on the grid of a country, weighed as is usual there."""
    lights = WEIGHTS["ride_through_outage"] if usual.grid_fails == "seldom" else WHERE_IT_FAILS_OFTEN
    weights = WEIGHTS | {"ride_through_outage": lights}
    return tuple(Purpose.model_validate({"kind": kind, "weight": weight}) for kind, weight in weights.items())


def weighed_without_grid(before: Job, after: Job) -> Job:
    """The job after an edit, its purposes weighed as is usual off grid, or with one again, while they are assumed."""
    if "purposes" not in after.assumed or before.supply.on_grid == after.supply.on_grid:
        return after
    lights = WEIGHTS["ride_through_outage"] if after.supply.on_grid else OFF_GRID
    purposes = [
        purpose.with_(weight=lights) if purpose.kind == "ride_through_outage" else purpose
        for purpose in after.purposes
    ]
    return after.with_(purposes=tuple(purposes))
