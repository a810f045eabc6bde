"""Faces that go and faces that come: what they hang on, whatever the survey says first."""

import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.model import Purpose
from calm_relay.planning.architecture.coupling import coupling_facts
from calm_relay.planning.handover.work_order import steps_of
from calm_relay.planning.verdict.option import Option
from tests.plans import plan


@pytest.fixture(scope="module")
def homes():
    """The two homes, each thing that is there said to be on its unit."""
    job = demo_job("two-homes")
    faces = tuple(face.with_(wired_to=job.wired_to(face)) for face in job.faces)
    return job.with_(faces=faces)


def figures(made):
    return {
        option.key: None
        if not isinstance(option, Option) or option.stopped
        else (option.outcome.money.outlay, option.outcome.money.saving, option.outcome.figures.pv_dc_kwh)
        for option in made.options
    }


@pytest.mark.parametrize("name", ["faces", "existing_inverters"])
def test_the_order_in_which_things_are_surveyed_changes_no_figure(homes, name):
    one, other = figures(plan(homes)), figures(plan(homes.with_(**{name: getattr(homes, name)[::-1]})))
    # The old packs leave a part of the roof bare, and two parts are as good.
    for key in one.keys() - {"old-packs"}:
        assert other[key] == (one[key] and pytest.approx(one[key], rel=1e-4)), key


def test_the_phases_may_be_named_the_other_way_round():
    def turned(value):
        if isinstance(value, list):
            return [turned(item) for item in value]
        if not isinstance(value, dict):
            return value
        made = {key: turned(item) for key, item in value.items()}
        for key in {"leg", "phase", "single_on"} & made.keys():
            following = {"1": "2", "2": "3", "3": "1"}.get(str(made[key]))
            made[key] = type(made[key])(following) if following else made[key]
        if made.get("home_shares"):
            made["home_shares"] = [made["home_shares"][at] for at in (2, 0, 1)]
        return made

    job = demo_job("two-homes")
    other = type(job).model_validate(turned(job.model_dump(mode="json")))
    assert other.supply.home_shares != job.supply.home_shares
    one, there = plan(job), plan(other)
    assert figures(there) == {key: item and pytest.approx(item) for key, item in figures(one).items()}
    assert [option.key for option in there.options] == [option.key for option in one.options]


def test_a_face_to_come_is_on_no_inverter_until_one_is_named(homes):
    carport = next(face for face in homes.faces if not face.is_there)
    assert homes.wired_to(carport) is None
    assert homes.wired_to(carport.with_(wired_to="Garage inverter")) == "Garage inverter"
    assert homes.wired_to(homes.faces[0].with_(wired_to=None)) == "House inverter"
    number = homes.faces.index(carport)
    named = plan(homes.with_face(number, wired_to="House inverter")).option("hybrid-beside").design
    house = next(unit for unit in named.converters if unit.surveyed and unit.surveyed.name == "House inverter")
    assert carport.name in [face.plan.name for face in house.faces]


def test_an_inverter_that_no_work_touches_keeps_its_strings_as_they_run(homes):
    """It ran with two modules in a row, which nobody would lay; a face elsewhere changes nothing about it."""
    garage = next(face for face in homes.faces if face.wired_to == "Garage inverter")
    short = homes.with_face(homes.faces.index(garage), count=2)
    design = plan(short).option("ac-addon").design
    unit = next(unit for unit in design.converters if unit.surveyed and unit.surveyed.name == "Garage inverter")
    assert [run.in_series for run in unit.stringing.runs] == [2] and not unit.stringing.left_out


def test_plug_in_modules_are_instead_of_what_is_to_come_and_of_its_kind(homes):
    made = plan(homes)
    design = made.option("balcony").design
    carport = next(face for face in homes.faces if not face.is_there)
    few = next(face for unit in design.converters if unit.is_new for face in unit.faces)
    assert few.module.key == carport.module and few.plan.count <= 4
    assert carport.name not in [face.plan.name for unit in design.converters for face in unit.faces]
    new_kw = sum(unit.array_kw for unit in design.converters if unit.is_new)
    assert new_kw == pytest.approx(few.plan.count * few.module.power_w / 1000.0)


def test_only_strings_with_modules_that_are_there_are_connected_anew(homes):
    design = plan(homes).option("hybrid-swap").design
    runs = [run for run in design.converters[0].stringing.runs if not run.face.plan.is_there]
    assert runs
    assert design.strings_moved == design.converters[0].stringing.strings - sum(run.parallel for run in runs)


@pytest.fixture(scope="module")
def renewed():
    """A pottery whose old modules all come down, and a new roof that the old inverter cannot take."""
    job = demo_job("pottery")
    old = tuple(face.with_(fate="remove") for face in job.faces)
    module = "quillmere-440"
    new = job.faces[0].with_(name="New roof", module=module, fate="new", count=20, age_years=0.0, rectangle=None)
    return plan(job.with_(faces=(*old, new)))


def test_a_renewed_roof_can_have_microinverters(renewed):
    option = renewed.option("micro-ac")
    assert [unit.micro is not None for unit in option.design.converters] == [True, False]
    steps = [step.text for step in steps_of(option)]
    assert any("Take 10 modules off" in text for text in steps)
    assert any("off the wall" in text for text in steps)
    job = renewed.job
    kept = plan(job.with_(faces=(job.faces[0].with_(fate="reuse"), *job.faces[1:]))).option("micro-ac")
    assert "1 string lies on the roof" in kept.refusal.reasons[0]


def test_an_inverter_with_nothing_left_on_it_goes_unless_the_survey_keeps_it(renewed):
    for key in ("ac-addon", "two-units", "clock-bank", "micro-ac"):
        design = renewed.option(key).design
        assert [unit.inverter.key for unit in design.removed] == ["tarnlight-5"], key
    assert "No module stays" in renewed.option("hybrid-beside").refusal.reasons[0]
    job = renewed.job
    kept = plan(job.with_existing_inverter(0, fate="keep"))
    assert not kept.option("ac-addon").design.removed and not kept.option("micro-ac").design.removed


def test_packs_join_an_old_battery_while_the_roof_changes(homes):
    """What goes, goes, and what comes, comes, where the old battery only grows."""
    battery = homes.battery.with_(pack="fern-48", count=1)
    faces = (homes.faces[0].with_(fate="remove"), *homes.faces[1:])
    design = plan(homes.with_(battery=battery, faces=faces)).option("grow-bank").design
    names = [face.plan.name for unit in design.converters for face in unit.faces]
    assert sorted(names) == sorted(face.name for face in faces[1:])
    assert [unit.added is not None for unit in design.converters if unit.has_battery] == [True]


def spoken(made, key):
    """What is said for and against the works of an option."""
    return " ".join(reason.sentence for reason in made.choice.reasons[key] if reason.purpose == "gentle_works")


def test_what_the_works_are_is_told_as_it_is(renewed, homes):
    assert "comes off and 2 new units are hung." in spoken(renewed, "ac-addon")
    assert "comes off, and if the one unit fails" in spoken(renewed, "hybrid-swap")
    roof = coupling_facts(renewed.option("hybrid-swap").design, renewed.job).roof_work
    assert roof == "20 modules are taken down and 20 modules are laid"
    gentle = homes.with_(purposes=(Purpose(kind="gentle_works", weight=5.0),))
    made = plan(gentle)
    assert spoken(made, "ac-addon").startswith("The inverter stays;")
    assert "goes with its unit" in spoken(made, "hybrid-swap")
    # The old packs are on the new hybrid, and what carried them alone goes.
    assert "goes with its unit" not in spoken(made, "old-packs")
    units = coupling_facts(made.option("clock-bank").design, gentle).units
    assert len({unit.name for unit in units}) == len(units)


def test_the_work_order_lays_and_takes_down_what_the_option_does(homes, renewed):
    texts = {option.key: [step.text for step in steps_of(option)] for option in plan(homes).live}
    assert "Lay 16 modules on Carport, south." in texts["hybrid-beside"]
    assert not any("Carport" in text for text in (*texts["as-is"], *texts["balcony"]))
    assert "Lay 4 modules on Plug-in stand." in texts["balcony"]
    costs = renewed.job.costs.with_(module_removal=20.0)
    made = plan(renewed.job.with_(costs=costs))
    assert made.as_is.outcome.money.outlay == 0.0 and not any("Take" in step.text for step in steps_of(made.as_is))
    removal = [line.amount for line in made.option("ac-addon").outcome.money.lines if line.label.endswith("off")]
    assert removal == [400.0]
