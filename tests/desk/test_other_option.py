"""What a bench shows is of the option and job in view, or it says that it is being worked out."""

import pytest
from PySide6.QtWidgets import QLabel

from calm_relay.desk.charts.chart import Chart
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.verdict.option import RefusedOption

# What each bench shows of a study: charts, and other parts with what they show while it is awaited.
CHARTS = {
    "Inverter": ("sweep", "cost", "clipped"),
    "Battery": ("chart",),
    "Home": ("carpet", "stacked", "seasons"),
    "Outage": ("night", "battery", "carpet", "riding_through"),
    "Money": ("years", "running"),
}
# Parts that lie over each other, of which one is seen.
STACKED = {
    "Inverter": (("sweep", "cost"), ("day", "clipped")),
    "Home": (("stacked", "seasons", "picture", "controlled"),),
}
WORDS = {
    "Inverter": {"summary": "", "clipping_summary": ""},
    "Battery": {"summary": "…"},
    "Outage": {"verdict": "Rehearsing the night …", "more": "", "summary": "Mapping the year …"},
    "Money": {"verdict": "Counting the years…", "note": ""},
}


def waits(chart):
    words = [label.text() for label in chart.findChildren(QLabel) if not label.isHidden()]
    return "Being worked out…" in words


@pytest.fixture
def held(window, monkeypatch):
    """Has what benches ask for from now on never come; gives back what was asked for."""

    def hold():
        asked, study = [], window.session.study

        def ask(key, *how):
            if key == "moment":
                study(key, *how)
            else:
                asked.append(key)

        monkeypatch.setattr(window.session, "study", ask)
        return asked

    return hold


def seen(window, name, qtbot):
    """A bench that shows all that it asked for."""
    window.open_bench(name)
    qtbot.waitUntil(lambda: window.bench.settled)
    qtbot.waitUntil(lambda: not any(waits(getattr(window.bench, part)) for part in CHARTS.get(name, ())[:1]))
    return window.bench


def other(window):
    """Number of an option that can be built and is not in view."""
    return next(
        number
        for number, option in enumerate(window.session.plan.options)
        if not isinstance(option, RefusedOption) and number != window.view.shown and option.key != "as-is"
    )


def assert_awaits(bench, name):
    for part in CHARTS.get(name, ()):
        assert isinstance(getattr(bench, part), Chart)
        assert waits(getattr(bench, part)), part
        assert getattr(bench, part)._title == getattr(bench, part).accessibleName(), part
    for part, words in WORDS.get(name, {}).items():
        assert getattr(bench, part).text() == words, part


@pytest.mark.parametrize("name", ["Inverter", "Battery", "Home", "Outage", "Money"])
def test_another_option_leaves_nothing_of_the_one_before(window, held, qtbot, name):
    bench = seen(window, name, qtbot)
    asked = held()
    window.show_option(other(window))
    assert asked
    assert_awaits(bench, name)
    for parts in STACKED.get(name, ()):
        assert sum(getattr(bench, part).isVisible() for part in parts) == 1, parts


@pytest.mark.parametrize(
    ("name", "charts"),
    [("Inverter", ("sweep", "cost")), ("Battery", ("chart",)), ("Outage", ("night", "battery"))],
)
def test_an_edit_keeps_what_is_drawn_until_the_new_has_come(window, held, settled, qtbot, name, charts):
    bench = seen(window, name, qtbot)
    asked = held()
    job = window.session.job
    window.session.edit(job.with_(battery=job.battery.with_(count=job.battery.count + 1)), "one pack more")
    settled(window)
    assert asked
    assert not any(waits(getattr(bench, part)) for part in charts)


def test_another_job_leaves_nothing_of_the_one_before(window, held, settled, qtbot):
    bench = seen(window, "Inverter", qtbot)
    held()
    window.session.replace(demo_job("two-homes"))
    window.forget_view()
    settled(window)
    assert_awaits(bench, "Inverter")


def test_what_was_worked_out_for_one_job_is_not_printed_or_written_for_another(window, held, settled, qtbot):
    survey = seen(window, "Survey", qtbot)
    money = seen(window, "Money", qtbot)
    assert survey.print.isEnabled() and survey.table.rowCount() and money.write.isEnabled()
    held()
    window.session.replace(demo_job("two-homes"))
    window.forget_view()
    settled(window)
    for name in ("Survey", "Money"):
        window.open_bench(name)
    assert not survey.print.isEnabled()
    assert survey.table.rowCount() == 0
    assert survey.summary.text() == "Turning everything that is assumed …"
    assert not money.write.isEnabled()
    assert not money.flows


def test_a_night_of_another_option_is_not_put_on_the_line(window, held, qtbot):
    bench = seen(window, "Outage", qtbot)
    bench.scrub(1.0)
    assert bench.own_moment is not None
    held()
    window.show_option(other(window))
    bench.scrub(1.0)
    assert bench.own_moment is None
