"""Which figures of a job were assumed, and are so until somebody confirms or changes them."""

from typing import Any

from calm_relay.job.model import Job


def value_at(job: Job, path: str) -> Any:
    """The value at a dotted path of field names."""
    value: Any = job
    for name in path.split("."):
        value = getattr(value, name)
    return value


def less_what_was_said(before: Job, after: Job) -> Job:
    """The changed job without the marks of those assumed figures that the change touched; marks it set stay."""
    if not after.assumed:
        return after
    left = tuple(
        path
        for path in after.assumed
        if path not in before.assumed or value_at(before, path) == value_at(after, path)
    )
    return after if left == after.assumed else after.with_(assumed=left)
