"""Own templates: jobs from which others begin, as job files in the user's data folder."""

import re
from pathlib import Path

from calm_relay.exchange.job_file import SUFFIX, write_job
from calm_relay.exchange.own_equipment import data_folder
from calm_relay.job.model import Job


def templates_folder() -> Path:
    """Where templates lie."""
    return data_folder() / "templates"


def templates() -> tuple[Path, ...]:
    """Every template, by name."""
    return tuple(sorted(templates_folder().glob(f"*{SUFFIX}"), key=lambda path: path.name.casefold()))


def keep_template(job: Job) -> Path:
    """Keeps a job as a template under its name, in place of one that has it.

    Raises
    ------
    OSError
        When the folder cannot be written.
    """
    name = " ".join(re.sub(r"[^\w ,.()-]+", " ", job.name).split()).strip(" .") or "template"
    path = templates_folder() / f"{name[:80]}{SUFFIX}"
    path.parent.mkdir(parents=True, exist_ok=True)
    write_job(job, path)
    return path
