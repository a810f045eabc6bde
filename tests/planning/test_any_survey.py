"""Surveys thrown together at random: each is planned and told, or refused in words; every balance closes."""

import contextlib
import random
from collections import Counter

import pytest
from pydantic import ValidationError

from calm_relay.exchange.plan_document import plan_text
from calm_relay.exchange.shipped import DEMOS, catalogue, demo_job, rule_packs
from calm_relay.job.survey import ExistingBattery, ExistingInverter
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.findings import Severity, Subject, is_stopped
from calm_relay.planning.verdict.option import RefusedOption
from calm_relay.planning.views.document import document_of
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.moment import day_of, moment_of
from calm_relay.planning.views.string_ladder import ladders_of
from calm_relay.planning.views.tables import tables_of
from tests.plans import plan

KIT = catalogue()
WITH_PV = [item.key for item in KIT.inverters if item.pv]
WITH_BATTERY = [item.key for item in KIT.inverters if item.battery]
UNDER = [item.key for item in (*KIT.optimisers, *KIT.microinverters)]
CASES = 70


def any_face(draw, number):
    base = draw.choice(demo_job(draw.choice(list(DEMOS))).faces)
    count = draw.randint(1, 30)
    return base.with_(
        name=f"face {number}",
        count=count,
        strings=draw.choice([n for n in range(1, count + 1) if count % n == 0]),
        module=draw.choice(KIT.modules).key,
        fate=draw.choice(["new", "keep", "reuse", "reuse", "remove"]),
        electronics=draw.choice([None, None, None, *UNDER]),
    )


def any_job(draw):
    job = demo_job(draw.choice(list(DEMOS)))
    inverter = ExistingInverter(inverter=draw.choice(WITH_PV), fate=draw.choice(["keep", "reuse", "remove"]))
    existing = ExistingBattery(
        pack=draw.choice(KIT.packs).key,
        count=draw.randint(1, 3),
        inverter=draw.choice([None, *WITH_BATTERY]),
        fate=draw.choice(["keep", "reuse", "remove"]),
    )
    battery = job.battery.with_(
        pack=draw.choice(KIT.packs).key,
        count=draw.randint(1, 4),
        hybrid=draw.choice([None, None, *(key for key in WITH_PV if key in WITH_BATTERY)]),
        string_inverter=draw.choice([None, *WITH_PV]),
        microinverter=draw.choice([None, *(item.key for item in KIT.microinverters)]),
    )
    second = inverter.with_(name="Second", fate=draw.choice(["keep", "move", "reuse", "remove"]))
    units = draw.choice([(), (inverter,), (inverter, second)])
    faces = [any_face(draw, number) for number in range(draw.randint(1, 4))]
    names = [None, *(unit.name for unit in units)]
    return job.with_(
        faces=tuple(face.with_(wired_to=draw.choice(names)) for face in faces),
        existing_inverters=units,
        existing_batteries=draw.choice([(), (), (existing,)]),
        battery=battery,
        region=draw.choice(list(rule_packs())),
        fuse_school=draw.choice(["series-fuse rating", "three strings up"]),
    )


def jobs():
    draw = random.Random(4)
    made = 0
    while made < CASES:
        with contextlib.suppress(ValidationError):
            yield any_job(draw)
            made += 1


def each_face_has_its_place(job, option):
    """No module to come or to stay is forgotten or hung twice, and what goes is gone."""
    units = option.design.converters
    placed = Counter()
    for unit in units:
        if unit.has_strings:
            placed.update({run.face.plan.name: 0 for run in unit.stringing.runs})
            for item in (*unit.stringing.runs, *unit.stringing.left_out):
                placed[item.face.plan.name] += item.modules
    # Modules on a plug come instead of what is to come.
    on_a_plug = option.key == "balcony"
    placed.pop("Plug-in stand", None)
    wanted = {
        face.name: face.count for face in job.faces if face.will_be_there and not (on_a_plug and not face.is_there)
    }
    assert placed == wanted, option.key
    for thing in (*job.existing_inverters, *job.existing_batteries):
        there = [unit for unit in units if not unit.is_new and thing in (unit.surveyed, unit.battery_surveyed)]
        assert not (thing.stays and not there), (option.key, thing.name)
        assert not (thing.goes and there), (option.key, thing.name)
    lines = sum(line.amount for line in option.outcome.money.lines)
    assert lines == pytest.approx(option.outcome.money.outlay)


@pytest.mark.parametrize("job", list(jobs()), ids=map(str, range(CASES)))
def test_any_survey_is_planned_or_refused_in_words(job):
    try:
        made = plan(job)
    except PlanError as error:
        assert "wanted" in str(error)
        return
    document = document_of(made)
    text = plan_text(document)
    assert "NaN" not in text and "Infinity" not in text
    assert tables_of(made)["comparison"]
    for option, summary in zip(made.options, document.options, strict=True):
        assert line_of(made, option).stations
        ladders_of(option)
        if isinstance(option, RefusedOption):
            assert all(reason and not reason.endswith(".") for reason in option.refusal.reasons)
            continue
        if option.role != "today":
            each_face_has_its_place(job, option)
        assert summary.largest_residual_kwh < 1e-9
        assert abs(option.outcome.year.year_residual_kwh()) < 1e-6
        assert moment_of(made, option, 17_000).legs["home"] >= 0
        assert day_of(made, option, 17_000).hours.size >= 92
        # Asked alone, by fewer checks, it says the same.
        alone = is_stopped(Subject(option.design, option.context, option.site, option.outcome))
        assert alone == any(item.severity is Severity.STOP for item in option.findings)
        for finding in option.findings:
            assert finding.sentence.endswith(".")
            for mend in finding.mends:
                assert mend.apply(job) != job


def as_told(option, finding):
    return sum((item.check, item.sentence) == (finding.check, finding.sentence) for item in option.findings)


@pytest.mark.parametrize("job", list(jobs())[::14], ids=map(str, range(0, CASES, 14)))
def test_what_a_mend_is_offered_for_is_not_told_again(job):
    made = plan(job)
    for option in made.live:
        for finding in option.findings:
            for mend in finding.mends[:1]:
                mended = plan(mend.apply(job)).option(option.key)
                assert not isinstance(mended, RefusedOption), (option.key, mend.label)
                assert as_told(mended, finding) < as_told(option, finding), (option.key, mend.label)
