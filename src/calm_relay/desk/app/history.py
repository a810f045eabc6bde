"""The list of jobs that undo and redo walk along."""

from dataclasses import dataclass

from calm_relay.job.model import Job

# Steps that can be taken back; older ones are forgotten.
MOST_STEPS = 500


@dataclass(frozen=True)
class Step:
    """A job and the name of the edit that made it."""

    job: Job
    label: str


class History:
    """Jobs in the order they were made; edits after an undo drop what was undone."""

    def __init__(self, job: Job):
        self._steps = [Step(job, "")]
        self._at = 0

    @property
    def job(self) -> Job:
        """The present job."""
        return self._steps[self._at].job

    @property
    def undo_label(self) -> str | None:
        """Name of the edit that undo takes back, None when there is none."""
        return self._steps[self._at].label if self._at > 0 else None

    @property
    def redo_label(self) -> str | None:
        """Name of the edit that redo brings back, None when there is none."""
        return self._steps[self._at + 1].label if self._at + 1 < len(self._steps) else None

    def add(self, job: Job, label: str) -> bool:
        """Makes a job the present one; says whether it differs from the one before."""
        if job == self.job:
            return False
        del self._steps[self._at + 1 :]
        self._steps.append(Step(job, label))
        del self._steps[: -MOST_STEPS - 1]
        self._at = len(self._steps) - 1
        return True

    def amend(self, job: Job) -> None:
        """Puts a job in the present one's place without a step of undo."""
        self._steps[self._at] = Step(job, self._steps[self._at].label)

    def undo(self) -> bool:
        """Goes one job back where there is one."""
        if self._at == 0:
            return False
        self._at -= 1
        return True

    def redo(self) -> bool:
        """Goes one job forward where there is one."""
        if self._at + 1 == len(self._steps):
            return False
        self._at += 1
        return True
