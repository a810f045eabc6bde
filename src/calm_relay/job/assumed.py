"""Which figures of a job were assumed, and are so until somebody confirms or changes them."""

from typing import Any

from calm_relay.job.demand import Demand, ShapedDemand
from calm_relay.job.model import Job, Wanted


def value_at(job: Job, path: str) -> Any:
    """The value at a dotted path of field names; None where what stands there now has no such field."""
    value: Any = job
    for name in path.split("."):
        value = getattr(value, name, None)
    return value


def confirmed(job: Job, path: str) -> Job:
    """The job with the figure at a dotted path said to be so: no mark of it is left, nor what it answers wanted."""
    answers = "demand" if path == "demand.yearly_kwh" else None
    marks = tuple(mark for mark in job.assumed if mark != path)
    wanted = tuple(key for key in job.wanted if key != answers)
    return job if (marks, wanted) == (job.assumed, job.wanted) else job.with_(assumed=marks, wanted=wanted)


def less_what_was_said(before: Job, after: Job) -> Job:
    """The changed job without the marks of what the change said; marks it set stay.

    Marks are of figures that were assumed, and of answers that are wanted before there is a verdict.
    """
    if before.wanted and after.wanted:
        still = tuple(key for key in after.wanted if not _answered(key, before, after))
        after = after if still == after.wanted else after.with_(wanted=still)
    if not after.assumed or after.assumed != before.assumed or _answered("place", before, after):
        # An edit that sets marks itself knows what it assumes, and so does another place.
        return after
    left = tuple(path for path in after.assumed if value_at(before, path) == value_at(after, path))
    return after if left == after.assumed else after.with_(assumed=left)


def _said_of_demand(demand: Demand) -> object:
    """What of a demand says how much the house uses; loads beside it, its shape and its midwinter do not."""
    return (demand.yearly_kwh, demand.bills) if isinstance(demand, ShapedDemand) else demand


def _answered(key: Wanted, before: Job, after: Job) -> bool:
    if key == "place":
        old, new = before.site, after.site
        return (old.latitude, old.longitude) != (new.latitude, new.longitude) or old.place != new.place
    if key == "demand" and _answered("place", before, after) and isinstance(after.demand, ShapedDemand):
        # Another place brings what is usual there.
        return not isinstance(before.demand, ShapedDemand) or before.demand.bills != after.demand.bills
    if key == "demand":
        return _said_of_demand(before.demand) != _said_of_demand(after.demand)
    return before.faces != after.faces
