"""The long runs at small numbers: each prints zeros here as it must over hours."""

import pytest

from stress import files, jobs, kill
from tests.examples import examples


@pytest.mark.parametrize(("part", "most"), [(kill, 40), (files, 600), (jobs, 24)], ids=["kill", "files", "jobs"])
def test_nothing_breaks_in_a_short_run(part, most, capsys):
    line, faults = part.run(10.0, examples(most), 7)
    assert faults == 0, f"{line}\n{capsys.readouterr().out}"


def test_a_fault_is_counted_and_told(monkeypatch, capsys):
    monkeypatch.setattr(jobs, "plan", lambda *_: 1 / 0)
    line, faults = jobs.run(1.0, 3, 0)
    assert faults == 3 and "3 with faults" in line
    assert "ZeroDivisionError" in capsys.readouterr().out


def test_a_window_worked_at_random_ends_without_errors(tmp_path):
    """In a process of its own: it answers every question by itself."""
    import subprocess
    import sys

    code = "from stress import window; line, faults = window.run(5.0, 60, 3); print(line); import os; os._exit(faults)"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=240, check=False)
    assert done.returncode == 0 and "60 actions" in done.stdout, done.stdout + done.stderr[-500:]
