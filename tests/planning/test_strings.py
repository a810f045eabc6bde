"""Strings: laid to the optimum, held to every check, changed by hand, moved to another inverter."""

from itertools import product

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from calm_relay.exchange.shipped import catalogue, demo_job, library
from calm_relay.job.equipment import Catalogue, Tracker
from calm_relay.job.model import Job
from calm_relay.job.survey import PlannedString, StringPlan
from calm_relay.physics.array_yield import FaceYield
from calm_relay.planning.architecture.restring import restringing_of
from calm_relay.planning.architecture.string_plan import (
    job_with_plan,
    plan_of,
    with_length,
    with_module_moved,
    with_module_on_input,
    with_string_moved,
)
from calm_relay.planning.findings import Severity
from calm_relay.planning.site.array import DesignTemperatures, Face
from calm_relay.planning.site.new_job import new_job
from calm_relay.planning.strings.auto_string import lay_strings
from calm_relay.planning.strings.limits import SiteLimit, lengths_allowed
from calm_relay.planning.strings.stringing import fusing_of, hard_refusals, planned_strings, surveyed_strings
from calm_relay.planning.verdict.option import RefusedOption
from calm_relay.planning.views.string_ladder import iv_curves, ladders_of
from tests.examples import examples
from tests.plans import optimised_over_two_faces, plan

TEMPERATURES = DesignTemperatures(-5.0, 65.0, "a test", "a test")
NO_RULE = SiteLimit(1e6, "no rule")


def item(items, key):
    return next(entry for entry in items if entry.key == key)


def face(name, count, module="quillmere-440", worth=400.0, azimuth=0.0, **fields):
    """A face whose modules make `worth` kWh each."""
    plan_ = (
        demo_job()
        .faces[0]
        .with_(name=name, module=module, count=count, strings=1, azimuth=azimuth, rectangle=None, **fields)
    )
    made = FaceYield(np.array([worth * count]), np.array([25.0]), worth * count, {})
    return Face(plan_, item(catalogue().modules, module), made, 1.0)


def an_inverter(*trackers):
    """A hybrid with trackers of (highest volts, strings)."""
    base = item(catalogue().inverters, "skerrin-h10t")
    made = tuple(
        Tracker(
            mppt_low_v=min(100, volts * 0.4),
            mppt_high_v=volts * 0.9,
            full_power_low_v=min(150, volts * 0.6),
            start_v=min(120, volts * 0.5),
            max_v=volts,
            usable_a=16 * strings,
            short_circuit_a=20 * strings,
            strings=strings,
        )
        for volts, strings in trackers
    )
    return base.with_(pv=base.pv.with_(trackers=made))


def laid(faces, inverter, site=NO_RULE, optimisers=None, fixed=frozenset()):
    return lay_strings(tuple(faces), inverter, TEMPERATURES, site, optimisers or {}, fixed)


@settings(max_examples=examples(40), deadline=None, suppress_health_check=list(HealthCheck))
@given(
    st.lists(st.integers(1, 20), min_size=1, max_size=4),
    st.lists(st.tuples(st.sampled_from([300, 550, 600, 1000]), st.integers(1, 3)), min_size=1, max_size=4),
    st.sampled_from([450.0, 600.0, 1e6]),
)
def test_what_is_laid_never_fails_a_hard_check(counts, trackers, site_v):
    faces = [face(f"f{i}", count, azimuth=20.0 * i) for i, count in enumerate(counts)]
    site = SiteLimit(site_v, "a rule")
    strings = laid(faces, an_inverter(*trackers), site)
    reasons = hard_refusals(strings, TEMPERATURES, site)
    assert all("find no input" in reason for reason in reasons)
    for one in faces:
        used = sum(run.modules for run in strings.runs if run.face is one)
        out = sum(left.modules for left in strings.left_out if left.face is one)
        assert used + out == one.plan.count
    assert all(left.reason for left in strings.left_out)
    for number, (_, most) in enumerate(trackers, 1):
        assert sum(run.parallel for run in strings.runs if run.tracker_number == number) <= most


@pytest.mark.parametrize("counts", list(product((7, 9, 13), (5, 11))))
def test_as_many_modules_are_connected_as_by_trying_everything(counts):
    inverter = an_inverter((600, 1), (300, 1), (600, 2))
    lengths = [
        list(lengths_allowed(face("x", 1).module, t, -5.0, 65.0, SiteLimit(1e6, ""))) for t in inverter.pv.trackers
    ]
    choices = [
        [(0, 0, 0)]
        + [(f, n, p) for f in (0, 1) for n in allowed for p in range(1, t.strings + 1) if n * p <= counts[f]]
        for allowed, t in zip(lengths, inverter.pv.trackers, strict=True)
    ]
    best = 0
    for picks in product(*choices):
        used = [sum(n * p for f, n, p in picks if f == wanted) for wanted in (0, 1)]
        if used[0] <= counts[0] and used[1] <= counts[1]:
            best = max(best, sum(used))
    # Two faces may also share the last input with equal strings.
    for n in lengths[2]:
        for a, b in product((0, *lengths[0]), (0, *lengths[1])):
            for fa, fb in product((0, 1), repeat=2):
                used = [n, n]
                used[fa] += a
                used[fb] += b
                if used[0] <= counts[0] and used[1] <= counts[1]:
                    best = max(best, sum(used))
    faces = [face(f"f{i}", count, azimuth=90.0 * i) for i, count in enumerate(counts)]
    assert sum(run.modules for run in laid(faces, inverter).runs) == best


def test_two_strings_a_little_below_full_power_stay_alike():
    """One long string does not pay for a short one: 10 + 14 leaves an input far below the voltage of full power."""
    job = new_job("J", "Munich, Germany", "Germany", 48.14, 11.58, "Europe/Berlin", 5000.0, library(), 24)
    for key in ("ac-addon", "hybrid-swap"):
        (unit,) = plan(job).option(key).design.pv_converters
        assert [(run.in_series, run.parallel) for run in unit.stringing.runs] == [(12, 1), (12, 1)]


@pytest.mark.parametrize(
    ("strings", "inputs", "hung"),
    [
        ((2,), (2, 2), [[1, 1]]),
        ((3,), (2, 1), [[2, 1]]),
        ((4,), (2, 2, 2), [[2, 1, 1]]),
        ((1, 1), (1, 1), [[1], [1]]),
        ((2, 2), (2, 2), [[2], [2]]),
        ((1, 2), (2, 1, 1), [[1], [1, 1]]),
        # The first face on two inputs would leave the last with one that is too small.
        ((2, 2), (2, 2, 1), [[2], [1, 1]]),
        ((1,), (2, 2), [[1]]),
        ((3, 1), (1, 1), [[1, 1], []]),
    ],
)
def test_strings_that_are_there_are_spread_over_the_inputs_there_are(strings, inputs, hung):
    faces = tuple(
        Face(one.plan.with_(strings=count), one.module, one.made, 1.0)
        for number, count in enumerate(strings)
        for one in [face(f"f{number}", 6 * count)]
    )
    made = surveyed_strings(faces, an_inverter(*((600, count) for count in inputs)))
    on = [[run.parallel for run in made.runs if run.face.plan.name == one.plan.name] for one in faces]
    assert on == hung
    assert [run.tracker_number for run in made.runs] == list(range(1, sum(map(len, hung)) + 1))
    left = sum(item.modules for item in made.left_out)
    assert left == 6 * (sum(strings) - sum(map(sum, hung)))


def test_what_is_left_out_says_why():
    few = laid([face("roof", 2)], an_inverter((600, 1)))
    assert few.left_out[0].modules == 2
    assert "at least" in few.left_out[0].reason
    full = laid([face("a", 12), face("b", 12, azimuth=90)], an_inverter((600, 1)))
    assert full.left_out[0].reason == "every input is taken"
    high = laid([face("thin", 4, "ossiloft-120")], an_inverter((90, 1)))
    assert "no number of them" in high.left_out[0].reason


def test_the_better_face_is_connected_first_and_kept_strings_stay_as_they_are():
    faces = [face("dull", 12, worth=200), face("bright", 12, worth=400, azimuth=90)]
    assert [run.face.plan.name for run in laid(faces, an_inverter((600, 1))).runs] == ["bright"]
    kept = face("kept", 12, fate="keep").plan.with_(strings=2)
    held = laid([Face(kept, faces[0].module, faces[0].made, 1.0)], an_inverter((600, 2)), fixed={"kept"})
    assert [(run.in_series, run.parallel) for run in held.runs] == [(6, 2)]


def test_optimised_strings_cross_faces_within_their_limits():
    optimiser = item(catalogue().optimisers, "corrie-500")
    faces = [face("a", 9), face("b", 8, azimuth=90), face("c", 6, azimuth=200)]
    by_face = {one.plan.name: optimiser for one in faces}
    strings = laid(faces, an_inverter((600, 1), (600, 1)), optimisers=by_face)
    assert not strings.left_out
    chains = {}
    for run in strings.runs:
        chains[run.chain] = chains.get(run.chain, 0) + run.in_series
    assert sorted(chains.values()) == [11, 12]
    few = laid([face("a", 4)], an_inverter((600, 1)), optimisers={"a": optimiser})
    assert few.homeless == 4
    own = item(catalogue().optimisers, "hollin-600")
    deaf = laid([face("a", 12)], item(catalogue().inverters, "umberlow-h5"), optimisers={"a": own})
    assert "does not speak to" in deaf.left_out[0].reason


@pytest.mark.parametrize("turn", [1, -1])
def test_two_kinds_of_optimisers_share_no_string_whichever_face_is_first(turn):
    kinds = catalogue().optimisers
    by_face = {"a": item(kinds, "corrie-500"), "b": item(kinds, "hollin-600"), "c": item(kinds, "corrie-500")}
    faces = [face("a", 9), face("b", 12, azimuth=90), face("c", 6, azimuth=200)][::turn]
    strings = laid(faces, an_inverter((600, 1), (600, 1)), optimisers=by_face)
    chains = {}
    for run in strings.runs:
        assert run.optimiser is by_face[run.face.plan.name]
        chains.setdefault(run.chain, set()).add(run.optimiser.key)
    assert not strings.left_out and len(chains) == 2 and all(len(kinds) == 1 for kinds in chains.values())
    # What the inverter does not speak to leaves the others theirs.
    deaf = laid(faces, item(catalogue().inverters, "umberlow-h5"), optimisers=by_face)
    assert [out.face.plan.name for out in deaf.left_out] == ["b"]


def result(made, key, check):
    return [finding for finding in made.option(key).findings if finding.check == check]


def planned(job: Job, inverter, *strings) -> Job:
    made = tuple(PlannedString(face=f, modules=n, input=i) for f, n, i in strings)
    return job.with_string_plan(inverter, StringPlan(inverter=inverter, strings=made))


HYBRID = "umberlow-h5"
NORTH_EAST, NORTH_WEST = "Studio, north-east", "House, north-west"


@pytest.fixture
def swap(demo):
    """The demo with its hybrid stated."""
    return demo.with_(battery=demo.battery.with_(hybrid=HYBRID))


@pytest.mark.parametrize(
    ("strings", "check", "severity", "words"),
    [
        (
            [(NORTH_EAST, 2, 1), (NORTH_WEST, 10, 2)],
            "hot voltage",
            Severity.STOP,
            "below the tracker's lower edge",
        ),
        ([(NORTH_EAST, 10, 1)], "tracker inputs", Severity.CHECK, "laid so by hand"),
        ([(NORTH_EAST, 10, 1), (NORTH_WEST, 10, 1)], "string plan", Severity.STOP, "2 are laid on it"),
        ([(NORTH_EAST, 10, 1), (NORTH_WEST, 11, 2)], "string plan", Severity.STOP, "the strings ask for 11"),
        ([(NORTH_EAST, 10, 1), (NORTH_WEST, 10, 7)], "string plan", Severity.STOP, "input 7 does not exist"),
        ([(NORTH_EAST, 10, 1), ("Barn", 10, 2)], "string plan", Severity.STOP, "no face is called 'Barn'"),
        ([(NORTH_EAST, 10, 1), (NORTH_WEST, 9, 1)], "unequal strings", Severity.STOP, "must be alike"),
    ],
)
def test_strings_laid_by_hand_are_held_to_every_check(swap, strings, check, severity, words):
    job = planned(swap, HYBRID, *strings)
    (finding,) = result(plan(job), "hybrid-swap", check)
    assert finding.severity is severity
    assert words in finding.sentence
    (mend,) = finding.mends
    assert mend.label == "Let the planner lay the strings"
    assert not result(plan(mend.apply(job)), "hybrid-swap", check)


def test_volts_below_those_of_full_power_lose_nothing_while_the_input_uses_every_ampere(swap):
    """Watts are volts times amps: a short string has less to give, and all of it passes."""
    job = planned(swap, HYBRID, (NORTH_EAST, 4, 1), (NORTH_WEST, 10, 2))
    (window,) = result(plan(job), "hybrid-swap", "full-power window")
    assert window.severity is Severity.OK and not window.mends
    assert "full power from 200 V. What these strings have passes whole" in window.sentence
    kit = item(catalogue().inverters, HYBRID)
    few = tuple(tracker.with_(usable_a=6) for tracker in kit.pv.trackers)
    own = Catalogue(inverters=(kit.with_(pv=kit.pv.with_(trackers=few)),))
    (window,) = result(plan(job.with_(own_equipment=own)), "hybrid-swap", "full-power window")
    assert window.severity is Severity.CHECK and "passes whole" not in window.sentence


def test_an_inverter_that_the_strings_do_not_suit_is_mended_by_another(demo):
    narrow = item(catalogue().inverters, HYBRID)
    trackers = tuple(tracker.with_(full_power_low_v=320, usable_a=6) for tracker in narrow.pv.trackers)
    own = narrow.with_(key="narrow", price=1, pv=narrow.pv.with_(trackers=trackers))
    job = demo.with_(own_equipment=Catalogue(inverters=(own,)), battery=demo.battery.with_(hybrid="narrow"))
    window = result(plan(job), "hybrid-swap", "full-power window")[0]
    assert window.severity is Severity.CHECK
    (mend,) = window.mends
    mended = plan(mend.apply(job))
    assert mended.job.battery.hybrid != "narrow"
    assert not result(mended, "hybrid-swap", "full-power window")


def test_two_strings_on_an_input_add_their_currents(demo):
    tracker = item(catalogue().inverters, HYBRID).pv.trackers[0].with_(strings=3, usable_a=20, short_circuit_a=25)
    base = item(catalogue().inverters, HYBRID)
    own = base.with_(key="two-in", pv=base.pv.with_(trackers=(tracker,)))
    job = demo.with_(own_equipment=Catalogue(inverters=(own,)), battery=demo.battery.with_(hybrid="two-in"))
    two = plan(planned(job, "two-in", (NORTH_EAST, 10, 1), (NORTH_WEST, 10, 1)))
    (shared,) = result(two, "hybrid-swap", "shared input")
    assert "share input 1" in shared.sentence
    assert 0 < shared.measured < 5
    (fuses,) = result(two, "hybrid-swap", "string fuses")
    assert fuses.severity is Severity.OK
    assert fuses.measured == pytest.approx(9.75)
    three = plan(planned(job, "two-in", (NORTH_EAST, 5, 1), (NORTH_EAST, 5, 1), (NORTH_WEST, 5, 1)))
    (amps,) = result(three, "hybrid-swap", "short-circuit current")
    assert (amps.severity, amps.measured) == (Severity.STOP, pytest.approx(1.25 * 29.25))
    (usable,) = result(
        plan(planned(job, "two-in", (NORTH_EAST, 5, 1), (NORTH_EAST, 5, 1))), "hybrid-swap", "string fuses"
    )
    assert "2 strings in parallel" in usable.sentence


def test_both_schools_of_fuses_agree_only_where_the_module_is_weak(demo):
    job = demo_job("dairy")
    option = plan(job).option("as-is")
    fusing = fusing_of(option.design.pv_converter.stringing.inputs[0])
    assert fusing.by_rating and fusing.by_count
    strong = item(catalogue().modules, "brackwen-250").with_(series_fuse_a=60)
    mild = job.with_(own_equipment=Catalogue(modules=(strong,)))
    (by_rating,) = result(plan(mild), "as-is", "string fuses")
    assert by_rating.severity is Severity.OK
    assert "Those who fuse from three strings up would." in by_rating.sentence
    (by_count,) = result(plan(by_rating.mends[0].apply(mild)), "as-is", "string fuses")
    assert by_count.severity is Severity.CHECK
    assert "by the habit of fusing from three strings up" in by_count.sentence
    thin = item(catalogue().modules, "brackwen-250").with_(series_fuse_a=10)
    (none,) = result(plan(job.with_(own_equipment=Catalogue(modules=(thin,)))), "as-is", "string fuses")
    assert none.severity is Severity.STOP


def test_a_rule_of_the_site_can_be_the_voltage_that_binds(demo):
    high = item(catalogue().inverters, "umberlow-h8").with_(key="high")
    trackers = tuple(t.with_(max_v=1000, mppt_high_v=900) for t in high.pv.trackers)
    own = Catalogue(inverters=(high.with_(pv=high.pv.with_(trackers=trackers)),))
    long = tuple(one.with_(count=14, rectangle=None) for one in demo.faces)
    job = demo.with_(own_equipment=own, battery=demo.battery.with_(hybrid="high"), faces=long)
    strings = ((NORTH_EAST, 14, 1), (NORTH_WEST, 14, 2))
    (over,) = result(plan(planned(job, "high", *strings)), "hybrid-swap", "cold voltage")
    assert (over.severity, over.limit) == (Severity.STOP, 600)
    assert "AS/NZS 5033" in over.sentence
    plain = job.with_(region="generic")
    (fits,) = result(plan(planned(plain, "high", *strings)), "hybrid-swap", "cold voltage")
    assert fits.severity is Severity.OK


def test_optimiser_and_microinverter_rules(demo):
    optimised = demo.with_(
        faces=tuple(one.with_(electronics="corrie-500", rectangle=None) for one in demo.faces),
        battery=demo.battery.with_(hybrid=HYBRID),
    )
    held = result(plan(optimised), "hybrid-swap", "optimiser strings")
    # Twenty of them are one string, across both faces.
    assert [finding.severity for finding in held] == [Severity.OK]
    assert "20 optimisers" in held[0].sentence
    short = planned(optimised, HYBRID, (NORTH_EAST, 4, 1), (NORTH_WEST, 10, 2))
    assert (
        "from 6 on the inverter runs at all" in result(plan(short), "hybrid-swap", "optimiser strings")[0].sentence
    )
    own = demo.with_(faces=tuple(one.with_(electronics="hollin-600") for one in demo.faces))
    refused = plan(own).option("hybrid-swap")
    assert "does not speak to Hollin 600 optimiser" in refused.refusal.reasons[0]
    micro = demo.with_(
        faces=tuple(one.with_(electronics="pennant-300") for one in demo.faces), existing_inverters=()
    )
    made = plan(micro)
    (branches, _) = result(made, "as-is", "branch circuits")
    # 80 % of 20 A over 1.3 A a unit.
    assert "carries 12 of them" in branches.sentence
    assert len(made.option("as-is").design.converters) == 2
    assert made.option("as-is").topology.roof_units == (0, 1)


def test_changes_by_hand_are_pure_and_refuse_what_cannot_be(demo_plan):
    stringing = demo_plan.option("hybrid-swap").design.pv_converter.stringing
    first = plan_of(stringing, HYBRID)
    assert [(s.modules, s.input) for s in first.strings] == [(10, 1), (10, 2)]
    with pytest.raises(ValueError, match="cannot hang in a string of"):
        with_module_moved(first, 0, 1)
    split = with_module_on_input(first, 0, 2)
    assert [(s.face, s.modules, s.input) for s in split.strings] == [
        (NORTH_EAST, 9, 1), (NORTH_WEST, 10, 2), (NORTH_EAST, 1, 2),
    ]  # fmt: skip
    assert [s.modules for s in with_module_moved(split, 0, 2).strings] == [8, 10, 2]
    assert [s.modules for s in with_module_moved(split, 2, 0).strings] == [10, 10]
    assert with_string_moved(first, 0, 2).strings[0].input == 2
    assert with_length(first, 0, 7).strings[0].modules == 7
    assert len(with_length(first, 0, 0).strings) == 1
    with pytest.raises(ValueError, match="one string must stay"):
        with_length(with_length(first, 0, 0), 0, 0)


def test_a_ladder_for_every_input_with_its_marks(demo, demo_plan):
    wide = plan(demo.with_(battery=demo.battery.with_(hybrid="umberlow-h5"), faces=demo.faces[:1]))
    used, free = ladders_of(wide.option("hybrid-swap"))
    assert (used.head, used.title, used.fits) == ("Input 1", "Studio, north-east", True)
    assert (free.head, free.title, free.strings) == ("Input 2", "free", ())
    assert used.open_v[0] == pytest.approx(10 * 39.8 * (1 + 0.0029 * 28))
    assert {"ends", "tracks ≥", "starts", "table"} <= {mark.short for mark in used.marks}
    assert used.open_v[0] > used.open_v[-1] > used.working_v[-1]
    cold, ordinary, dull = iv_curves(wide.option("hybrid-swap"), used.converter, 1)
    assert cold.best_kw > ordinary.best_kw > dull.best_kw > 0
    assert iv_curves(wide.option("hybrid-swap"), used.converter, 2) == ()
    (micro, *_) = ladders_of(plan(demo_job("cottage")).option("micro-ac"))
    assert (micro.head, micro.strings) == ("Each of 10", (("Main, south", 1),))
    assert micro.amps == "17.8 of 22.5 A"


def test_short_strings_become_long_ones_with_the_work_shown():
    made = plan(demo_job("dairy"))
    option = made.option("hybrid-swap")
    work = restringing_of(option.context, option.design)
    assert (work.strings_before, work.strings_after) == (24, 4)
    # 12 x 3 become 2 x 18: 24 joints stand, 34 are wanted.
    assert (work.made, work.opened, work.connectors_gone) == (20, 0, 20)
    assert any("from 12 × 3 to 2 × 18: 10 joints made" in step for step in work.steps)
    assert any("prove each string dead" in step for step in work.steps)
    assert restringing_of(option.context, made.option("ac-addon").design) is None


def test_strings_that_stay_on_an_inverter_that_stays_are_said_to():
    option = plan(demo_job("two-homes")).option("hybrid-swap")
    assert [unit.inverter.name for unit in option.design.pv_converters if not unit.is_new] == [
        "Tarnlight 3.0 string inverter"
    ]
    work = restringing_of(option.context, option.design)
    assert "Garage, west: 1 × 10 stays on Tarnlight 3.0 string inverter." in work.steps
    assert not any("without an inverter" in step for step in work.steps)
    # Only what is opened is to be isolated.
    assert (
        sum("Isolate Tarnlight 10 three-phase string inverter on both sides" in step for step in work.steps) == 1
    )
    assert not any("Isolate" in step and "Tarnlight 3.0" in step for step in work.steps)
    # Two on the house and one on the garage, and one that is new.
    assert (work.strings_before, work.strings_after, work.connectors_gone) == (3, 4, 0)


def test_a_length_that_does_not_add_up_is_cut(demo):
    uneven = demo.with_(faces=(demo.faces[0].with_(count=12, strings=3), demo.faces[1]))
    job = planned(
        uneven.with_(battery=demo.battery.with_(hybrid=HYBRID)), HYBRID, (NORTH_EAST, 10, 1), (NORTH_WEST, 10, 2)
    )
    option = plan(job).option("hybrid-swap")
    work = restringing_of(option.context, option.design)
    # 4 + 4 + 2 of the third string: two joints made, one opened.
    assert any("2 joints made, 1 opened" in step for step in work.steps)


def test_faces_of_one_plane_that_find_no_input_share_strings_once_stated_as_one():
    whole = demo_job("cottage")
    first, *others = whole.faces
    left, right = (first.with_(name=name, count=5) for name in ("Left", "Right"))
    apart = whole.with_(faces=(left, right, *others))
    option = plan(apart).option("hybrid-swap")
    finding = next(f for f in option.findings if f.check == "tracker inputs" and f.severity is Severity.STOP)
    assert "Left and Right are one plane of like modules" in finding.sentence
    mend = next(mend for mend in finding.mends if mend.label == "State Left and Right as one face")
    mended = mend.apply(apart)
    assert [(face.name, face.count) for face in mended.faces[:2]] == [
        ("Left", 10),
        (others[0].name, others[0].count),
    ]
    laid = plan(mended).option("hybrid-swap").design.battery_converter.stringing
    assert not laid.left_out and any(run.face.plan.name == "Left" and run.modules == 10 for run in laid.runs)
    # In another plane they stay apart.
    turned = apart.with_face(1, azimuth=(right.azimuth + 5.0) % 360.0)
    other = next(f for f in plan(turned).option("hybrid-swap").findings if f.check == "tracker inputs")
    assert "one plane" not in other.sentence and not any("as one face" in mend.label for mend in other.mends)


def test_a_roof_too_small_in_parts_is_told_that_it_is_one_plane():
    whole = demo_job("cottage")
    first = whole.faces[0]
    faces = tuple(first.with_(name=name, count=2) for name in ("Left", "Right"))
    refused = [o for o in plan(whole.with_(faces=faces)).options if isinstance(o, RefusedOption)]
    reasons = [reason for option in refused for reason in option.refusal.reasons]
    assert any("Left and Right are one plane" in reason for reason in reasons)


def chained(made):
    for option in made.live:
        for unit in option.design.converters:
            if (
                unit.has_array
                and not unit.micro
                and any(item.strings < len(item.runs) for item in unit.stringing.inputs)
            ):
                return option, unit
    raise AssertionError("no string lies on two faces")


def test_a_string_over_two_faces_stays_one_when_it_is_laid_by_hand():
    made = plan(optimised_over_two_faces())
    option, unit = chained(made)
    laid = plan_of(unit.stringing, unit.inverter.key, unit.alike)
    again = planned_strings(unit.faces, unit.inverter, laid, option.context.survey.optimisers)
    assert again.faults == ()
    assert [(i.number, i.strings, i.short_circuit_a) for i in again.inputs] == [
        (i.number, i.strings, i.short_circuit_a) for i in unit.stringing.inputs
    ]
    # Both parts move to another input as one.
    parts = [at for at, part in enumerate(laid.strings) if part.chain is not None]
    moved = with_string_moved(laid, parts[0], 9)
    assert {moved.strings[at].input for at in parts if laid.strings[at].chain == laid.strings[parts[0]].chain} == {
        9
    }
    # Taken apart they are two, which one input does not take.
    apart = laid.with_(strings=tuple(part.with_(chain=None) for part in laid.strings))
    faults = planned_strings(unit.faces, unit.inverter, apart, option.context.survey.optimisers).faults
    assert unit.inverter.pv.trackers[0].strings > 1 or any("strings, " in fault for fault in faults)


def test_two_kinds_of_optimisers_in_one_string_are_a_fault():
    made = plan(optimised_over_two_faces())
    option, unit = chained(made)
    other = next(
        item
        for item in catalogue().optimisers
        if item.name != "" and item not in option.context.survey.optimisers.values()
    )
    kinds = option.context.survey.optimisers | {"Porch": other}
    laid = plan_of(unit.stringing, unit.inverter.key, unit.alike)
    faults = planned_strings(unit.faces, unit.inverter, laid, kinds).faults
    assert any(other.name in fault and "in one string" in fault for fault in faults)


@pytest.mark.parametrize("demo, key", [("two-homes", "hybrid-beside"), ("hut", "dc-bus"), ("hut", "ac-bus")])
def test_strings_changed_by_hand_stay_on_the_unit_they_were_changed_on(demo, key):
    """Also where they fit worse than on another: the planner would have taken that one, and the strings with it."""
    job = demo_job(demo)
    option = plan(job).option(key)
    unit = next(unit for unit in option.design.pv_converters if unit.is_new and not unit.micro)
    laid = plan_of(unit.stringing, unit.inverter.key, unit.alike)
    shorter = with_length(laid, 0, laid.strings[0].modules - 3)
    changed = job_with_plan(job, option.design, shorter)
    again = plan(changed).option(key).design.pv_converters
    (same,) = [item for item in again if (item.inverter.key, item.alike) == (unit.inverter.key, unit.alike)]
    assert same.stringing.origin == "planned"
    assert plan_of(same.stringing, unit.inverter.key, unit.alike).strings == shorter.strings


def test_modules_of_a_plug_in_stand_are_not_laid_by_hand():
    job = demo_job("two-homes").with_(faces=tuple(f for f in demo_job("two-homes").faces if f.is_there))
    option = plan(job).option("balcony")
    unit = next(unit for unit in option.design.pv_converters if unit.inverter.plug_in)
    laid = plan_of(unit.stringing, unit.inverter.key, unit.alike)
    with pytest.raises(ValueError, match="Plug-in stand are the planner's"):
        job_with_plan(job, option.design, with_length(laid, 0, 1))
