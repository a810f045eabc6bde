"""A study that takes long lets by what is asked for meanwhile, and goes on where it was."""

import threading

import pytest

from calm_relay.desk.app.planner import MOST_LET_BY, Planner
from calm_relay.exchange.shipped import demo_job, library
from calm_relay.planning.plan import Plan


@pytest.fixture
def planner(qapp, qtbot, tmp_path):
    made, came = Planner(library()), []
    for signal in (made.planned, made.failed, made.broke):
        signal.connect(lambda *said: came.append(said))
    made.request(demo_job("pottery"), tmp_path)
    qtbot.waitUntil(lambda: bool(came), timeout=300_000)
    assert isinstance(came[0][0], Plan), came
    yield made
    made.stop()


def told_of(planner):
    told = []
    planner.studied.connect(lambda key, result: told.append((key, result)))
    return told


def long_study(go_on, begun=None):
    """Takes steps until it may end."""

    def study(plan, option, progress):
        steps = 0
        while not go_on.is_set():
            if begun is not None:
                begun.set()
            progress(0.5, "Working")
            go_on.wait(0.005)
            steps += 1
        return steps

    return study


def test_a_quick_study_is_done_while_a_long_one_is_in_hand(planner, qtbot):
    told, go_on, begun = told_of(planner), threading.Event(), threading.Event()
    planner.request_study("long", long_study(go_on, begun), None, None, "Battery")
    assert begun.wait(10.0)
    planner.request_study("quick", lambda plan, option, progress: "at once", None, None, "Outage")
    qtbot.waitUntil(lambda: told == [("quick", "at once")])
    go_on.set()
    qtbot.waitUntil(lambda: len(told) == 2)
    assert told[1][0] == "long" and told[1][1] > 0


def test_what_one_bench_asks_for_comes_in_the_order_in_which_it_asked(planner, qtbot):
    told, go_on, begun = told_of(planner), threading.Event(), threading.Event()
    planner.request_study("night", long_study(go_on, begun), None, None, "Outage")
    assert begun.wait(10.0)
    planner.request_study("map", lambda plan, option, progress: "map", None, None, "Outage")
    planner.request_study("sweep", lambda plan, option, progress: "sweep", None, None, "Battery")
    qtbot.waitUntil(lambda: told == [("sweep", "sweep")])
    go_on.set()
    qtbot.waitUntil(lambda: [key for key, _ in told] == ["sweep", "night", "map"])


def test_one_that_breaks_leaves_the_one_in_hand_alone(planner, qtbot):
    told, broke, go_on, begun = told_of(planner), [], threading.Event(), threading.Event()
    planner.broke.connect(lambda key, report: broke.append(key))
    planner.request_study("long", long_study(go_on, begun), None, None, "Battery")
    assert begun.wait(10.0)
    planner.request_study("quick", lambda plan, option, progress: 1 / 0, None, None, "Outage")
    qtbot.waitUntil(lambda: broke == ["quick"])
    go_on.set()
    qtbot.waitUntil(lambda: [key for key, _ in told] == ["long"])


def test_another_plan_ends_all_of_them_and_is_made(planner, qtbot, tmp_path):
    told, never = told_of(planner), threading.Event()
    for number in range(MOST_LET_BY + 2):
        planner.request_study(f"long {number}", long_study(never), None, None, f"bench {number}")
    with qtbot.waitSignal(planner.planned, timeout=300_000) as planned:
        planner.request(demo_job("pottery").with_(name="Other"), tmp_path)
    assert planned.args[0].job.name == "Other" and told == []


def test_calling_off_ends_what_waits_too(planner, qtbot):
    told, ended, never, begun = told_of(planner), [], threading.Event(), threading.Event()
    planner.study_cancelled.connect(lambda: ended.append(1))
    planner.request_study("long", long_study(never), None, None, "Battery")
    planner.request_study("other", long_study(never, begun), None, None, "Outage")
    assert begun.wait(10.0)
    planner.cancel()
    qtbot.waitUntil(lambda: len(ended) == 2)
    planner.request_study("later", lambda plan, option, progress: "done", None, None)
    qtbot.waitUntil(lambda: told == [("later", "done")])


def test_the_thread_ends_while_studies_wait_within_one_another(planner):
    never, begun = threading.Event(), threading.Event()
    planner.request_study("long", long_study(never), None, None, "Battery")
    planner.request_study("other", long_study(never, begun), None, None, "Outage")
    assert begun.wait(10.0)
    planner.stop()
    assert not planner._thread.is_alive()
