"""Plans on the library that ships with the application, which every benchmark takes."""

from pathlib import Path

from calm_relay.exchange.shipped import library
from calm_relay.job.model import Job
from calm_relay.planning import plan as module
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.plan import Plan


def plan(job: Job, folder: Path | None = None, progress: Progress = unheard) -> Plan:
    """The plan of a job on the shipped library."""
    return module.plan(job, library(), folder, progress)
