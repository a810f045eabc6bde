"""A new job from the window: question by question to a plan, and a copy of the present one."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel

from calm_relay.desk.widgets.label import Label
from calm_relay.exchange.job_file import read_job
from calm_relay.exchange.own_equipment import library
from calm_relay.job.assumed import confirmed
from calm_relay.job.commissioning import Commissioning
from calm_relay.job.demand import HeatPump
from calm_relay.job.own_item import OwnEquipment, OwnItem
from calm_relay.job.survey import Bill, ExistingInverter, HorizonPoint
from calm_relay.job.wiring import Route

from .driving import LEFT, type_into

RETURN = Qt.Key.Key_Return


@pytest.fixture
def begun(window, qtbot, settled):
    """A window on a job of which nothing is said yet."""
    qtbot.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    settled(window)
    return window


def find(qtbot, window, town):
    qtbot.keyClicks(window.bench.place.line, town)
    qtbot.waitUntil(lambda: window.bench.place.result.isVisible())
    qtbot.keyClick(window.bench.place.line, RETURN)


def notes(window):
    return [note.finding.check for note in window.margin.notes]


def test_each_station_asks_until_there_is_a_verdict(begun, qtbot, settled):
    window, questions = begun, begun.questions
    assert window.session.job.wanted == ("place", "demand", "array")
    assert notes(window).count("not answered") == 3
    assert window.line.line.station("Site").headline == "not said yet"
    assert questions.asks.text().endswith("Where does it stand?") and window.bench.place.line.hasFocus()
    find(qtbot, window, "tralee")
    settled(window)
    qtbot.waitUntil(lambda: questions.step.bench == "Choice")
    settled(window)
    assert window.bench.verdict.text().startswith("No verdict yet. Still wanted: what the home uses")
    assert not window.moment.isVisible() and not window.switch.buttons
    assert not window.switch.compare_button.isVisible()
    job = window.session.job
    assert (job.site.place, job.supply.phases, job.supply.main_fuse_a) == ("Tralee, Ireland", "single", 63.0)
    questions.go_to(3)
    type_into(qtbot, window.bench.inputs.editors["A year, kWh"], "4200")
    settled(window)
    # What else the home draws is said here as well.
    assert questions.step.bench == "Home" and questions.how.text().startswith("Answered. A heat pump, a car")
    questions.next.click()
    assert questions.step.bench == "Grid"
    window.open_bench("Choice")
    settled(window)
    known = {label.text() for label in window.bench.known.findChildren(type(window.bench.verdict))}
    assert "4,200 kWh a year, 11.5 kWh a day" in {text.replace("\u00a0", " ") for text in known}
    assert any("night" in text for text in known) and not any("yield" in text for text in known)
    questions.go_to(5)
    assert window.bench.nothing.text() == "Nobody has said yet what lies here."
    questions.lay.click()
    settled(window)
    assert window.session.job.wanted == () and window.session.plan.choice.key is not None
    assert window.switch.compare_button.isVisible()
    # The first verdict puts what fits best in view.
    assert window.view.option.key == window.session.plan.choice.key
    questions.go_to(7)
    assert not questions.isVisible() and window.bench_name == "Choice"
    # What is edited is no longer assumed.
    job = window.session.job
    window.session.edit(job.with_(tariff=job.tariff.with_(price=0.31)), "Price")
    settled(window)
    assert "tariff.price" not in window.session.job.assumed and "supply.phases" in window.session.job.assumed
    window.session.undo()
    assert "tariff.price" in window.session.job.assumed


def test_modules_said_before_the_place_are_shown_without_a_yield(begun, qtbot, settled):
    window, questions = begun, begun.questions
    questions.go_to(5)
    questions.lay.click()
    settled(window)
    roof = window.line.line.station("Roof")
    assert (roof.headline, roof.detail) == ("4.98 kWp, 1 face", "")
    window.open_bench("Choice")
    settled(window)
    known = [label.text().replace("\u00a0", " ") for label in window.bench.known.findChildren(Label)]
    assert "12 modules, 4.98 kWp" in known and not any("kWh/kWp" in text for text in known)
    # Fuse and price that stand in on the equator are nobody's to confirm.
    questions.go_to(4)
    assert not questions.confirm.isEnabled()
    questions.go_to(0)
    find(qtbot, window, "hamburg")
    settled(window)
    assert window.line.line.station("Roof").detail.endswith("MWh DC a year")
    questions.go_to(4)
    assert questions.confirm.isEnabled()


def test_the_roof_is_known_before_the_home_is(begun, qtbot, settled):
    window, questions = begun, begun.questions
    find(qtbot, window, "hamburg")
    settled(window)
    questions.go_to(5)
    questions.lay.click()
    settled(window)
    window.open_bench("Choice")
    settled(window)
    known = " ".join(label.text() for label in window.bench.known.findChildren(type(window.bench.verdict)))
    assert "kWh/kWp" in known.replace("\u00a0", " ") and "“night”" not in known
    assert window.session.job.supply.phases == "three"
    # Undone, the question stands again.
    window.session.undo()
    settled(window)
    assert "array" in window.session.job.wanted and window.session.job.faces == ()


def test_a_begun_job_is_saved_opened_and_asked_on_and_nothing_of_it_is_printed(
    begun, qtbot, settled, tmp_path, monkeypatch
):
    window, questions = begun, begun.questions
    find(qtbot, window, "hamburg")
    settled(window)
    questions.go_to(5)
    questions.none.click()
    settled(window)
    assert not window.files.print_summary()
    assert "Still wanted: what the home uses in a year" in window.notice.text.text()
    window.session.save(tmp_path / "begun.relay.json")
    assert read_job(tmp_path / "begun.relay.json").wanted == ("demand",)
    questions.leave.click()
    assert not questions.isVisible()
    assert window.files.open_file(tmp_path / "begun.relay.json")
    settled(window)
    window.ask_questions()
    assert questions.isVisible() and questions.step.answers == "demand"
    # A place taken once more asks about what belonged to the first.
    window.session.edit(window.session.job.with_(name="Elbweg"), "Name")
    assert window.session.job.wanted == ("demand",)


def test_bad_answers_are_said_and_nothing_is_lost(begun, qtbot, settled):
    window, questions = begun, begun.questions
    questions.name.setText("x" * 200)
    questions.name.editingFinished.emit()
    assert "not taken" in questions.how.text() and window.session.job.name == "New job"
    questions.go_to(3)
    type_into(qtbot, window.bench.inputs.editors["A year, kWh"], "much")
    assert "demand" in window.session.job.wanted and questions.step.bench == "Home"


def test_no_years_of_money_are_counted_while_answers_are_wanted(begun, settled):
    begun.open_bench("Money")
    settled(begun)
    bench = begun.bench
    assert bench.verdict.text().startswith("No years are counted yet. Still wanted: where it stands; ")
    assert bench.flows == () and not bench.tabs.isEnabled() and not bench.write.isEnabled()


def test_what_stands_in_and_is_typed_all_the_same_is_an_answer(begun, qtbot, settled):
    window, questions = begun, begun.questions
    find(qtbot, window, "tralee")
    settled(window)
    questions.go_to(3)
    editor = window.bench.inputs.editors["A year, kWh"]
    assert editor.value == 4200.0
    # Going through a field says nothing.
    editor.setFocus()
    qtbot.keyClick(editor, RETURN)
    assert "demand" in window.session.job.wanted
    type_into(qtbot, editor, "4200")
    settled(window)
    assert "demand" not in window.session.job.wanted
    questions.go_to(4)
    assert "tariff.price" in window.session.job.assumed
    price = window.bench.inputs.editors["Price a kWh"]
    type_into(qtbot, price, f"{price.value:g}")
    settled(window)
    assert "tariff.price" not in window.session.job.assumed
    assert window.commands.undo.text() == "Undo: Price a kWh confirmed"


# What was done at one house is not true of the next.
BUILT = {
    "state": "built",
    "follow_up": "2027-01-11",
    "commissioning": Commissioning(conditions={"on": "2026-11-02"}, option="ac-coupled", by="Ada"),
}


def test_a_copy_stands_beside_the_file_it_came_from(window, qtbot, settled):
    window.session.edit(window.session.job.with_(**BUILT), "built")
    before = window.session.job
    assert window.files.duplicate()
    settled(window)
    job = window.session.job
    assert job.name == f"{before.name}, copy" and job.customer == ""
    assert window.session.path is None
    of_its_house = {name: getattr(before, name) for name in ("name", "customer", *BUILT)}
    assert (job.state, job.follow_up, job.commissioning) == ("survey", None, Commissioning(by="Ada"))
    assert job.with_(**of_its_house) == before


def test_a_job_is_kept_as_a_template_and_others_begin_from_it(window, settled, tmp_path, monkeypatch, qtbot):
    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path / "own"))
    kept = window.session.job.with_(
        name="Standard: retrofit/5 kW", customer="Nobody", notes="the key lies", **BUILT
    )
    run = Route(key="meter>main board", length_m=11.0, measured=True)
    bill = Bill(first="2025-01-01", last="2025-12-31", kwh=7000.0, sent_kwh=2000.0)
    kept = kept.with_(demand=kept.demand.with_(bills=(bill,), counts="net"))
    kept = kept.with_(site=kept.site.with_(horizon=(HorizonPoint(azimuth=90.0, elevation=12.0),)))
    kept = kept.with_(wiring=kept.wiring.with_(routes=(run,), drawn_by="Ada", strokes_km2=2.0, revision="C"))
    window.session.edit(kept, "name")
    assert window.files.keep_as_template()
    assert "Standard" in window.notice.text.text()
    window.session.save(tmp_path / "here.relay.json")
    window.commands.list_templates()
    actions = window.commands._templates.actions()
    assert actions[0].text() == "Standard retrofit 5 kW"
    actions[0].trigger()
    settled(window)
    job = window.session.job
    assert (job.name, job.customer, window.session.path) == ("Standard: retrofit/5 kW", "", None)
    assert (job.notes, job.pinned, job.state, job.follow_up) == ("", (), "survey", None)
    assert job.commissioning == Commissioning(by="Ada")
    # How far the meter hangs from the board is that house's; who draws is the firm's.
    assert (job.wiring.routes, job.wiring.strokes_km2, job.wiring.revision) == ((), None, "")
    assert job.wiring.drawn_by == "Ada"
    # So is what it uses, and what stands on its horizon; its loads are those of such houses.
    assert (job.demand.bills, job.demand.counts, job.site.horizon) == ((), None, ())
    assert job.demand.loads == kept.demand.loads
    assert job.wanted == ("demand",) and "what the home uses" in window.session.plan.choice.sentence
    window.session.edit(confirmed(job, "demand.yearly_kwh"), "confirmed")
    settled(window)
    assert window.session.job.wanted == () and window.session.plan.choice.key
    assert window.session.job.battery == kept.battery
    assert {face.module for face in job.faces} <= {item.key for item in job.own_equipment.modules}


def test_a_template_that_cannot_be_used_is_told(window, asked, tmp_path):
    (tmp_path / "bad.relay.json").write_text("{")
    assert not window.files.from_template(tmp_path / "bad.relay.json")
    assert "damaged" in asked[-1]


def test_a_first_start_says_once_that_it_is_an_example(window, tmp_path, monkeypatch):
    monkeypatch.setenv("CALM_RELAY_STATE", str(tmp_path / "state"))
    begun = []
    window.files.tell_example(lambda: begun.append(True))
    assert "This is an example" in window.notice.text.text()
    window.notice.buttons[0].click()
    assert begun == [True]
    window.files.tell_example(lambda: begun.append(True))
    assert not window.notice.isVisible()


def test_the_questions_lay_what_is_in_the_library_now(begun, own_folder, settled, monkeypatch):
    """A module kept while the questions are asked is the one they lay."""
    window, questions = begun, begun.questions
    shipped = window.session.library.catalogue.modules[0]
    cheap = shipped.with_(key="own-cheap", name="Own cheap", price=1.0)
    window.session.take_library(library(OwnEquipment({"modules": (OwnItem(item=cheap),)}, False)))
    settled(window)
    questions.go_to(5)
    questions.lay.click()
    settled(window)
    assert window.session.job.faces[0].module == "own-cheap"


def test_modules_typed_are_laid_by_key_and_a_number_out_of_range_lays_none(begun, qtbot, settled):
    window, questions = begun, begun.questions
    questions.go_to(5)
    window.activateWindow()
    questions.modules.setFocus()
    qtbot.waitUntil(questions.modules.hasFocus)
    questions.modules.selectAll()
    qtbot.keyClicks(questions.modules, "9000")
    qtbot.mouseClick(questions.lay, LEFT)
    assert "wanted 1 to" in questions.how.text() and window.session.job.faces == ()
    questions.modules.setFocus()
    questions.modules.selectAll()
    qtbot.keyClicks(questions.modules, "22")
    qtbot.keyClick(window, Qt.Key.Key_L, Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(lambda: window.session.job.faces != ())
    assert window.session.job.faces[0].count == 22


def test_a_load_beside_the_house_does_not_say_what_the_house_uses(begun, qtbot, settled):
    window, questions = begun, begun.questions
    questions.go_to(3)
    demand = window.session.job.demand
    pump = HeatPump(name="Heat pump", heat_kwh_per_day=40.0)
    window.session.edit(window.session.job.with_(demand=demand.with_(heat_pumps=(pump,))), "Heat pump")
    window.session.edit(
        window.session.job.with_(demand=window.session.job.demand.with_(shape="farm")), "Kind of house"
    )
    assert "demand" in window.session.job.wanted and questions.step.bench == "Home"
    # A house that uses just what stands in says so by a button.
    assert questions.as_assumed.isVisible() and "3,500 k&Wh" in questions.as_assumed.text()
    qtbot.mouseClick(questions.as_assumed, LEFT)
    qtbot.waitUntil(lambda: questions.step.bench != "Home")
    assert "demand" not in window.session.job.wanted
    assert window.session.job.demand.yearly_kwh == 3500.0


def test_modules_that_lie_there_today_hang_on_the_inverter_there_today(begun, qtbot, settled):
    window, questions = begun, begun.questions
    find(qtbot, window, "ljubljana")
    settled(window)
    questions.go_to(5)
    assert not questions.there.isVisible() and questions.lay.isVisible()
    key = next(item.key for item in library().catalogue.inverters if item.name.startswith("Tarnlight 10"))
    job = window.session.job
    window.session.edit(job.with_(existing_inverters=(ExistingInverter(inverter=key),)), "Inverter")
    assert questions.there.isVisible()
    settled(window)
    # It stands where the array will come, not beside an inverter that is still to be named.
    assert window.line.line.station("Inverter").headline == "10 kW"
    assert "Kept inverter" not in {station.name for station in window.line.line.stations}
    # Too long for one string, and a prime number of modules makes no equal ones.
    questions.modules.setValue(31)
    qtbot.mouseClick(questions.there, LEFT)
    assert "in no equal strings" in questions.how.text() and "array" in window.session.job.wanted
    questions.modules.setValue(22)
    qtbot.mouseClick(questions.there, LEFT)
    (face,) = window.session.job.faces
    assert (face.count, face.fate, face.wired_to) == (22, "reuse", "Inverter")
    assert "array" not in window.session.job.wanted


def test_modules_that_lie_there_today_on_microinverters_are_said_in_one_step(begun, qtbot, settled):
    window, questions = begun, begun.questions
    find(qtbot, window, "johannesburg")
    settled(window)
    questions.go_to(5)
    questions.modules.setValue(14)
    qtbot.mouseClick(questions.on_micros, LEFT)
    # Those of another service are not offered.
    assert [action.text() for action in questions.micros.actions()] == ["Pennant 300 microinverter"]
    questions.micros.actions()[0].trigger()
    questions.micros.close()
    (face,) = window.session.job.faces
    assert (face.count, face.fate, face.electronics) == (14, "reuse", "pennant-300")
    assert "array" not in window.session.job.wanted
    settled(window)
    (unit,) = window.session.plan.option("as-is").design.converters
    assert unit.micro.key == "pennant-300" and not unit.is_new
    assert window.session.plan.option("ac-addon") is not None
    # The roof says on what they are, where other faces name an inverter of the survey.
    window.open_bench("Roof")
    window.bench.tabs.choose("today")
    assert window.bench.today.unit.currentText() == "an inverter under each"


def test_what_the_battery_is_for_is_seen_where_the_window_is_low(begun, qtbot, settled):
    window, questions = begun, begun.questions
    window.resize(1280, 720)
    find(qtbot, window, "johannesburg")
    settled(window)
    questions.go_to(5)
    qtbot.mouseClick(questions.lay, LEFT)
    settled(window)
    questions.go_to(1)
    slider = window.bench.purposes.sliders["lower_bills"]
    qtbot.waitUntil(lambda: not slider.visibleRegion().isEmpty())
    for kind, slider in window.bench.purposes.sliders.items():
        assert slider.visibleRegion().boundingRect() == slider.rect(), kind


def test_what_stands_in_before_the_place_is_known_passes_for_no_measurement(begun, qtbot, settled):
    window = begun
    (told,) = [note.finding for note in window.margin.notes if note.finding.check == "assumed"]
    assert "Stands in until a place is known" in told.sentence and not told.mends
    window.open_bench("Survey")
    qtbot.waitUntil(lambda: window.bench.settled)
    assert window.bench.summary.text().startswith("No option is weighed yet. Still wanted: where it stands")
    table = window.bench.table
    status = {table.item(row, 0).text(): table.item(row, 2).text() for row in range(table.rowCount())}
    assert {status[name] for name in ("Main fuse", "Price of a kWh", "Phases, voltage, frequency")} == {"assumed"}


def test_charts_without_an_array_say_so_in_place_of_empty_axes(begun, qtbot, settled):
    window = begun
    window.open_bench("Inverter")
    settled(window)
    # Before anybody has stated an array the room is for what is there.
    assert not any(chart.isVisible() for chart in (window.bench.day, window.bench.hours, window.bench.sweep))
    assert window.bench.wall.inverters.kind.isVisible() and not window.bench.hybrid.isVisible()
    window.questions.none.click()
    settled(window)
    window.open_bench("Inverter")
    assert window.bench.hybrid.isVisible() and window.bench.day.isVisible()
    qtbot.waitUntil(lambda: "no array" in shown_in(window.bench.sweep))
    for chart in (window.bench.day, window.bench.hours, window.bench.clipped):
        assert shown_in(chart) == "No array hangs on this option's units."


def shown_in(chart):
    """The words in place of a chart's axes."""
    return next((label.text() for label in chart.findChildren(QLabel) if not label.isHidden()), "")


def test_the_option_in_view_is_followed_where_a_roof_that_is_there_puts_options_in_another_order(
    begun, qtbot, settled
):
    window, questions = begun, begun.questions
    find(qtbot, window, "tralee")
    settled(window)
    questions.go_to(5)
    questions.lay.click()
    settled(window)
    job = window.session.job.with_(wanted=(), demand=window.session.job.demand.with_(yearly_kwh=4200.0))
    window.session.edit(job, "What is used")
    settled(window)
    keys = [option.key for option in window.session.plan.options]
    window.show_option(keys.index("hybrid-swap"))
    there = tuple(face.with_(fate="keep", electronics="pennant-300") for face in job.faces)
    window.session.edit(job.with_(faces=there), "There today")
    settled(window)
    after = [option.key for option in window.session.plan.options]
    assert after.index("hybrid-swap") != keys.index("hybrid-swap"), "an order to be followed"
    assert window.view.option.key == "hybrid-swap"
    window.show_option(after.index("micro-ac"))
    window.session.undo()
    settled(window)
    assert window.view.option.key == "micro-ac" and window.view.shown == keys.index("micro-ac")


def test_a_house_without_a_grid_says_so_on_its_path_and_is_planned_as_one(begun, qtbot, settled):
    window, questions = begun, begun.questions
    find(qtbot, window, "kampala")
    settled(window)
    questions.go_to(3)
    type_into(qtbot, window.bench.inputs.editors["A year, kWh"], "1800")
    settled(window)
    questions.go_to(4)
    assert questions.alone.isVisible() and window.session.job.supply.on_grid
    packs = window.session.plan.bank.usable_kwh
    qtbot.mouseClick(questions.alone, LEFT)
    settled(window)
    assert not window.session.job.supply.on_grid and questions.step.bench == "Roof"
    assert window.session.plan.bank.usable_kwh > 2.0 * packs, "two days are to be held, not a night"
    questions.go_to(4)
    assert not questions.alone.isVisible() and questions.how.text().startswith("There is none. A generator")
    window.session.undo()
    settled(window)
    assert window.session.job.supply.on_grid and questions.alone.isVisible()
    window.session.redo()
    questions.go_to(5)
    questions.modules.setValue(8)
    qtbot.mouseClick(questions.lay, LEFT)
    settled(window)
    assert window.session.job.wanted == ()
    assert window.session.plan.choice.key is not None and window.view.option.outcome.unserved < 0.5
