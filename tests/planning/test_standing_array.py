"""An inverter that is there and carries no module: said, and mended by saying that the modules are there."""

import pytest

from calm_relay.exchange.shipped import library
from calm_relay.job.survey import ExistingBattery, ExistingInverter
from calm_relay.planning.architecture.standing_array import (
    bare_inverters,
    hung_there,
    said_to_be_there,
    strings_there,
)
from calm_relay.planning.site.new_job import begun_job, new_job
from tests.plans import plan


def begun(modules=22, **changes):
    job = new_job("Ptuj", "Ptuj", "Slovenia", 46.42, 15.87, "Europe/Ljubljana", 5600.0, library(), modules)
    return job.with_(**changes)


def key_of(name):
    return next(item.key for item in library().catalogue.inverters if item.name.startswith(name))


def told(made, option=0):
    return [note for note in made.options[option].findings if note.check == "inverter without modules"]


@pytest.fixture
def bare():
    return begun(existing_inverters=(ExistingInverter(inverter=key_of("Tarnlight 10")),))


def test_modules_that_pass_for_new_beside_an_inverter_are_asked_about(bare):
    before = plan(bare)
    (note,) = told(before)
    assert "no module hangs on it" in note.sentence and note.station == "Roof"
    (mend,) = note.mends
    after = plan(mend.apply(bare))
    assert not told(after)
    (face,) = after.job.faces
    assert (face.fate, face.wired_to, face.strings) == ("reuse", "Inverter", 1)
    # The sun is in today's bill now, and what comes is not credited with it.
    assert after.option("as-is").outcome.money.bill < 0.5 * before.option("as-is").outcome.money.bill


def test_an_inverter_that_carries_a_battery_only_is_not_asked_about():
    unit = ExistingInverter(inverter=key_of("Skerrin 10"))
    pack = next(item.key for item in library().catalogue.packs if item.name.startswith("Amber"))
    made = plan(begun(existing_inverters=(unit,), existing_batteries=(ExistingBattery(pack=pack, count=2),)))
    assert not told(made)


def test_without_an_array_it_is_told_and_nothing_is_offered():
    made = plan(begun(0, existing_inverters=(ExistingInverter(inverter=key_of("Tarnlight 10")),)))
    (note,) = told(made)
    assert not note.mends


def test_nobody_is_asked_before_the_array_is_said(bare):
    wanted = bare.with_(wanted=("array",))
    assert not told(plan(wanted))
    assert not bare_inverters(begun_job("Begun", library()), library().catalogue)


def test_strings_are_equal_and_the_fewest_that_the_inputs_take():
    catalogue = library().catalogue
    module = next(item for item in catalogue.modules if item.key == begun().faces[0].module)
    wide = next(item for item in catalogue.inverters if item.key == key_of("Tarnlight 10"))
    narrow = next(item for item in catalogue.inverters if item.key == key_of("Tarnlight 5.0"))
    assert strings_there(module, 22, wide, -10.0, 70.0) == 1
    two = strings_there(module, 22, narrow, -10.0, 70.0)
    assert two == 2 and 11 * module.open_circuit_v < narrow.pv.trackers[0].max_v < 22 * module.open_circuit_v
    # A prime number of modules that is too long for one string.
    assert strings_there(module, 29, narrow, -10.0, 70.0) is None
    job = begun(29, existing_inverters=(ExistingInverter(inverter=narrow.key),))
    assert hung_there(job, job.existing_inverters[0], narrow, {module.key: module}) is None


@pytest.fixture
def barn():
    """Twenty modules on one inverter, a second one that is bare, and a face that passes for new."""
    house, barn = key_of("Tarnlight 5.0"), key_of("Tarnlight 3.0")
    units = (
        ExistingInverter(inverter=house, age_years=11.0),
        ExistingInverter(name="Barn", inverter=barn, age_years=8.0),
    )
    job = begun(20, existing_inverters=units)
    modules = {item.key: item for item in library().catalogue.modules}
    inverter = next(item for item in library().catalogue.inverters if item.key == house)
    hung = hung_there(job, units[0], inverter, modules)
    east = hung.faces[0].with_(
        name="East", count=8, strings=1, azimuth=90.0, age_years=0.0, fate="new", wired_to=None
    )
    return hung.with_(faces=(*hung.faces, east))


def test_modules_that_were_there_are_as_old_as_their_inverter(barn):
    assert [face.age_years for face in barn.faces] == [11.0, 0.0]


def test_a_face_said_to_be_there_hangs_on_the_inverter_that_carries_none(barn):
    equipment = library().catalogue
    said = said_to_be_there(barn, 1, "keep", equipment)
    assert (said.faces[1].fate, said.faces[1].wired_to, said.faces[1].age_years) == ("keep", "Barn", 8.0)
    # What was said stands, and where every inverter has its modules it is the first one's, as ever.
    older = barn.with_face(1, wired_to="Inverter", age_years=3.0)
    assert said_to_be_there(older, 1, "reuse", equipment).faces[1].wired_to == "Inverter"
    assert said_to_be_there(said, 1, "remove", equipment).faces[1].age_years == 8.0
    # Optimisers hang on an inverter as bare modules do; a microinverter is its own.
    optimised = barn.with_face(1, electronics="hollin-600")
    assert said_to_be_there(optimised, 1, "keep", equipment).faces[1].wired_to == "Barn"
    apart = barn.with_face(1, electronics="pennant-300")
    assert said_to_be_there(apart, 1, "keep", equipment).faces[1].wired_to is None
    on_battery = barn.with_existing_inverter(1, inverter=key_of("Mossgate 3"))
    assert said_to_be_there(on_battery, 1, "keep", equipment).faces[1].wired_to is None


def test_a_face_that_finds_no_input_of_one_inverter_is_hung_on_the_other(barn):
    wrong = barn.with_face(1, fate="keep", wired_to=None)
    (note,) = [n for n in plan(wrong).option("as-is").findings if n.check == "tracker inputs"]
    mend = next(mend for mend in note.mends if mend.label == "Hang East on Barn")
    after = plan(mend.apply(wrong)).option("as-is")
    assert not [n for n in after.findings if n.check in {"tracker inputs", "inverter without modules"}]
    assert [[face.plan.name for face in unit.faces] for unit in after.design.converters] == [["Roof"], ["East"]]


def test_modules_on_microinverters_leave_an_inverter_bare(barn):
    catalogue = library().catalogue
    assert [unit.name for unit in bare_inverters(barn, catalogue)] == ["Barn"]
    apart = barn.with_face(0, electronics="pennant-300", strings=1, wired_to=None)
    assert [unit.name for unit in bare_inverters(apart, catalogue)] == ["Inverter", "Barn"]
