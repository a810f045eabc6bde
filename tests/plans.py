"""Plans on the library that ships with the application, which is what nearly every test wants."""

from pathlib import Path

from calm_relay.exchange.shipped import catalogue, demo_job, library
from calm_relay.job.model import Job
from calm_relay.planning import plan as module
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.plan import Plan
from calm_relay.planning.verdict.option import Option


def plan(job: Job, folder: Path | None = None, progress: Progress = unheard) -> Plan:
    """The plan of a job on the shipped library."""
    return module.plan(job, library(), folder, progress)


def of_few_futures(job: Job) -> Job:
    """The job with as few futures tried as a job may have: for tests of what they are printed on."""
    return job.with_(uncertainty=job.uncertainty.with_(draws=100))


def without_findings(option: Option) -> Option:
    """An option of which the planner has nothing to say, whatever its figures are: for what else is told of it."""
    vars(option)["findings"] = ()
    return option


def optimised_over_two_faces() -> Job:
    """A roof of two faces with optimisers, the smaller of which fills no string by itself."""
    job = demo_job("two-homes")
    under = next(item for item in catalogue().optimisers if item.any_inverter)
    first, *others = job.faces
    one = first.with_(electronics=under.key, fate="new", count=18, strings=1, rectangle=None, wired_to=None)
    return job.with_(faces=(one, one.with_(name="Porch", count=3, azimuth=90.0), *others))
