"""Jobs that once left the window planning for ever: each is planned, or refused in one clear error."""

import os

import pytest
from pydantic import ValidationError

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.shipped import catalogue, demo_job
from calm_relay.job.carried import with_copies
from calm_relay.job.demand import MeteredDemand
from calm_relay.job.existing_supply import Generator
from calm_relay.job.model import WeatherFile
from calm_relay.job.survey import MeterReading, Rectangle
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.common.progress import unheard
from calm_relay.planning.drawing.single_line import single_line
from calm_relay.planning.studies.footprint import footprint_swaps
from calm_relay.planning.studies.search import search
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import plan


def test_a_roof_that_holds_more_modules_than_a_face_may_is_studied_and_searched(demo):
    large = Rectangle(width_m=40.0, height_m=20.0)
    made = plan(demo.with_(faces=tuple(face.with_(rectangle=large) for face in demo.faces)))
    option = made.option(made.choice.key) if made.choice.key else made.live[0]
    footprint_swaps(made, option, unheard)
    assert search(made, unheard, 40).plants


def test_a_unit_near_its_own_limits_is_multiplied(demo):
    """Two of a unit are two of it, whatever a single unit's datasheet may state."""
    job = with_copies(demo, catalogue())
    inverters = tuple(
        unit.with_(backup=unit.backup.with_(branch_breaker_a=250.0)) if unit.backup else unit
        for unit in catalogue().inverters
    )
    job = job.with_(own_equipment=job.own_equipment.with_(inverters=inverters))
    made = plan(job.with_(battery=job.battery.with_(units=3)))
    assert len(made.options) > 5


def test_names_as_long_as_they_may_be_are_wired():
    job = demo_job("two-homes")
    for number in range(len(job.existing_inverters)):
        job = job.with_existing_inverter(number, name=f"{number}" * 120)
    job = job.with_existing_battery(0, name="b" * 120, inverter="mossgate-3", wired_to=None)
    made = plan(job.with_(generators=(Generator(kw=4.0, name="g" * 120, duty="stands by"),)))
    for option in made.live:
        wired = wiring_of(option.design, option.context)
        for cable in wired.cables:
            assert job.wiring.with_route(job.wiring.route(cable.edge.key).with_(length_m=3.0)).routes
        assert single_line(wired, job.wiring).parts


@pytest.mark.parametrize("share", ["soiling", "shading", "mismatch", "wiring"])
def test_a_loss_of_everything_is_refused_at_its_field(demo, share):
    with pytest.raises(ValidationError, match=r"less than or equal to 0.9"):
        demo.losses.with_(**{share: 1.0})
    assert plan(demo.with_(losses=demo.losses.with_(**{share: 0.9}))).live


def test_a_weather_file_that_links_to_itself_is_told(demo, tmp_path):
    loop = tmp_path / "loop.epw"
    loop.symlink_to(loop)
    job = demo.with_(site=demo.site.with_(weather=WeatherFile(path="loop.epw")))
    with pytest.raises((InputError, PlanError), match=r"loop\.epw"):
        plan(job, tmp_path)


@pytest.mark.parametrize("name", ["pipe", "folder", "gone", "x" * 300])
@pytest.mark.parametrize("what", ["weather", "meter"])
def test_a_file_that_is_none_is_told(demo, tmp_path, name, what):
    for ending in ("", ".epw"):
        if name == "pipe":
            os.mkfifo(tmp_path / f"{name}{ending}")
        elif name == "folder":
            (tmp_path / f"{name}{ending}").mkdir()
    changed = (
        demo.with_(site=demo.site.with_(weather=WeatherFile(path=f"{name}.epw")))
        if what == "weather"
        else demo.with_(demand=MeteredDemand(path=name))
    )
    with pytest.raises((InputError, PlanError)) as error:
        plan(changed, tmp_path)
    assert name[:20] in str(error.value)


def test_a_column_past_the_file_is_told(demo, tmp_path):
    rows = ["time,kWh", *(f"2025-01-01 {hour:02d}:00,0.5" for hour in range(24))]
    (tmp_path / "meter.csv").write_text("\n".join(rows * 1))
    job = demo.with_(demand=MeteredDemand(path="meter.csv", reading=MeterReading(import_column=99)))
    with pytest.raises((InputError, PlanError), match="column"):
        plan(job, tmp_path)


def test_charge_controllers_without_an_array_are_planned():
    job = demo_job("hut").with_(faces=(), string_plans=())
    assert plan(job).options


def test_a_climate_that_cannot_be_at_a_latitude_is_told(demo):
    far = demo.with_(site=demo.site.with_(latitude=78.0))
    try:
        made = plan(far)
    except PlanError as error:
        assert "month" in str(error) or "latitude" in str(error)
    else:
        assert made.options
