"""The long runs at small numbers: each prints zeros here as it must over hours."""

import pytest

from calm_relay.exchange.shipped import DEMOS, demo_job
from stress import files, jobs, kill, studies
from stress.drawn_models import leaves
from stress.random_jobs import random_job
from tests.examples import examples


@pytest.mark.parametrize(("part", "most"), [(kill, 40), (files, 600), (jobs, 10)], ids=["kill", "files", "jobs"])
def test_nothing_breaks_in_a_short_run(part, most, capsys):
    line, faults = part.run(10.0, examples(most), 7)
    assert faults == 0, f"{line}\n{capsys.readouterr().out}"


def test_no_study_of_a_random_job_breaks(capsys):
    line, faults = studies.run(10.0, 1, 9)
    assert faults == 0, f"{line}\n{capsys.readouterr().out}"


def test_a_random_job_is_the_same_for_its_seed_and_holds_what_no_demo_does():
    draws = [random_job(seed) for seed in range(12)]
    assert draws == [random_job(seed) for seed in range(12)]
    demos = {(kind, name) for demo in map(demo_job, DEMOS) for _, kind, name in leaves(demo)}
    drawn = {(kind, name) for job in draws for _, kind, name in leaves(job)}
    assert len(drawn - demos) > 5


def test_a_fault_is_counted_and_told(monkeypatch, capsys):
    monkeypatch.setattr(jobs, "plan", lambda *_: 1 / 0)
    line, faults = jobs.run(1.0, 3, 0)
    assert faults == 3 and "3 with faults" in line
    assert "ZeroDivisionError" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("part", "most", "told"), [("window", 60, "60 actions"), ("screens", 1, "1 random jobs on every bench")]
)
def test_a_window_worked_at_random_ends_without_errors(part, most, told):
    """In a process of its own: it answers every question by itself."""
    import subprocess
    import sys

    code = (
        f"from stress import {part}; line, faults = {part}.run(5.0, {most}, 3); print(line); "
        "import os; os._exit(faults)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=240, check=False)
    assert done.returncode == 0 and told in done.stdout, done.stdout + done.stderr[-500:]
