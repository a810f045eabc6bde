"""Runs that are compiled when they are first called."""

import subprocess
import sys

PART = """
from calm_relay.physics.compiling import inlined

@inlined
def twice(x):
    return 2.0 * x
"""
WHOLE = """
from calm_relay.physics.compiling import compiled, inlined
from part import twice

@compiled
def run(x):
    return twice(x) + one(x)

@inlined
def one(x):
    return x + 1.0
"""
AT_ONCE = """
import threading, time
from calm_relay.physics import compiling

@compiling.compiled
def first(x):
    return x

# What the compiler loads for its first run takes longer than all that follows.
first(1.0)
plain = compiling._for_the_compiler
def slow(function, how):
    time.sleep(0.2)
    return plain(function, how)
compiling._for_the_compiler = slow

import whole
held, found = whole.run, []
def call(late, run):
    time.sleep(late)
    found.append(run()(3.0))
# Through what was imported before, and by the name that changes meanwhile.
threads = [
    threading.Thread(target=call, args=(late, (lambda: held) if late < 0.5 else (lambda: whole.run)))
    for late in (0.0, 0.1, 0.3, 0.5, 0.7)
]
for thread in threads:
    thread.start()
for thread in threads:
    thread.join()
print(found, type(whole.twice) is type(whole.run), whole.run is not held, held(1.0))
"""


def test_threads_that_call_a_run_first_wait_until_all_that_it_calls_is_known(tmp_path):
    (tmp_path / "part.py").write_text(PART)
    (tmp_path / "whole.py").write_text(WHOLE)
    (tmp_path / "at_once.py").write_text(AT_ONCE)
    done = subprocess.run([sys.executable, "at_once.py"], capture_output=True, text=True, cwd=tmp_path)
    assert (done.stdout.strip(), done.stderr) == ("[10.0, 10.0, 10.0, 10.0, 10.0] True True 4.0", "")
