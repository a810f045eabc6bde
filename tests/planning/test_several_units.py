"""Several inverters and batteries on one wall: surveyed, kept, moved, taken away, and planned with what comes."""

import json

import numpy as np
import pytest

from calm_relay.exchange.job_file import parse_job
from calm_relay.exchange.shipped import catalogue, demo_job, library
from calm_relay.job.model import Job
from calm_relay.job.survey import ExistingBattery, ExistingInverter, PlannedString, StringPlan
from calm_relay.planning.architecture.coupling import coupling_facts
from calm_relay.planning.architecture.restring import restringing_of
from calm_relay.planning.architecture.string_plan import job_with_plan, plan_of, with_length
from calm_relay.planning.findings.side_by_side import array_by_unit_kw
from calm_relay.planning.handover.materials import materials_of
from calm_relay.planning.operation.island import forming_kw
from calm_relay.planning.site.new_job import new_job
from calm_relay.planning.studies.inverter_sweep import clipped_day, load_hours, sweep_inverter
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.moment import moment_of
from calm_relay.planning.views.string_ladder import ladders_of
from tests.plans import plan

GARAGE = ExistingInverter(name="Garage", inverter="tarnlight-5", age_years=6)
BARN = ExistingInverter(name="Barn", inverter="tarnlight-3", age_years=11)
KIT = {item.key: item for item in catalogue().inverters}
OLD = ExistingBattery(name="Old", pack="fern-48", count=2, inverter="mossgate-3", age_years=5, health=0.8)


@pytest.fixture(scope="module")
def two_roofs():
    """The studio with an inverter for each of its two faces."""
    job = demo_job("pottery")
    first, second = (job.faces[0], job.faces[1].with_(wired_to="Barn"))
    return job.with_(existing_inverters=(GARAGE, BARN), faces=(first, second), string_plans=())


def units(option):
    return [(unit.inverter.key, unit.is_new) for unit in option.design.converters]


def faces(unit):
    return [face.plan.name for face in unit.faces]


def laid(unit):
    """The strings of a unit: face, modules in series, in parallel, input."""
    return [(run.face.plan.name, run.in_series, run.parallel, run.tracker_number) for run in unit.stringing.runs]


def test_each_face_hangs_on_the_inverter_that_the_survey_says(two_roofs):
    today = plan(two_roofs).option("as-is").design
    assert units(plan(two_roofs).option("as-is")) == [("tarnlight-5", False), ("tarnlight-3", False)]
    assert [faces(unit) for unit in today.converters] == [[face.name] for face in two_roofs.faces]
    assert [unit.age_years for unit in today.converters] == [6, 11]


def test_two_alike_are_two_with_strings_of_their_own(two_roofs):
    twins = two_roofs.with_existing_inverter(1, inverter="tarnlight-5")
    first, second = plan(twins).option("as-is").design.converters
    assert (first.alike, second.alike) == (1, 2)
    by_hand = with_length(plan_of(second.stringing, "tarnlight-5", 2), 0, 9)
    changed = plan(twins.with_string_plan("tarnlight-5", by_hand, 2)).option("as-is").design.converters
    assert laid(changed[0]) == laid(first) == [(two_roofs.faces[0].name, 10, 1, 1)]
    assert changed[1].stringing.runs[0].in_series == 9 != second.stringing.runs[0].in_series


def test_every_inverter_whose_strings_move_is_to_be_isolated(two_roofs):
    option = plan(two_roofs).option("hybrid-swap")
    assert all(unit.is_new for unit in option.design.pv_converters)
    *_, caution = restringing_of(option.context, option.design).steps
    assert caution.startswith(
        "Isolate Tarnlight 5.0 string inverter and Tarnlight 3.0 string inverter on both sides"
    )


def test_old_packs_of_unknown_health_are_asked_about(two_roofs):
    def asked(battery):
        made = plan(two_roofs.with_(existing_batteries=(battery,)))
        return [note for note in made.option("as-is").findings if note.check == "health of the old battery"]

    assert not asked(OLD) and not asked(OLD.with_(health=1.0, age_years=0))
    assert not asked(OLD.with_(health=1.0, measured_kwh=7.0))
    (note,) = asked(OLD.with_(health=1.0))
    assert "Old is 5 years old and planned as if new" in note.sentence and note.station == "Battery"
    # By hand: the root of half of ten years' standing, and five years of the cycle of its mean day.
    (mend,) = note.mends
    after = mend.apply(two_roofs.with_(existing_batteries=(OLD.with_(health=1.0),)))
    pack = next(item for item in catalogue().packs if item.key == OLD.pack)
    assert 0.6 < after.existing_batteries[0].health < 1.0 - pack.calendar_fade * 0.5**0.5
    older = asked(OLD.with_(health=1.0, age_years=12))[0].mends[0].label
    assert int(older[-3:-1]) < int(mend.label[-3:-1])
    assert not asked(after.existing_batteries[0])


def test_what_goes_gives_its_modules_to_what_stays_or_comes(two_roofs):
    goes = plan(two_roofs.with_existing_inverter(1, fate="remove"))
    addon = goes.option("ac-addon")
    kept, *_ = addon.design.converters
    assert kept.inverter.key == "tarnlight-5"
    housed = {name for unit in addon.design.pv_converters for name in faces(unit)}
    assert housed == {face.name for face in two_roofs.faces}
    assert [unit.inverter.key for unit in addon.design.removed] == ["tarnlight-3"]
    # The hybrid beside what stays takes what hung on the other.
    beside = goes.option("hybrid-beside").design
    assert faces(next(unit for unit in beside.converters if unit.is_new)) == [two_roofs.faces[1].name]


def test_a_hybrid_takes_the_roof_of_what_may_go_and_leaves_the_rest(two_roofs):
    swap = plan(two_roofs.with_existing_inverter(0, fate="keep")).option("hybrid-swap").design
    hybrid, kept = swap.converters
    assert hybrid.is_new and faces(hybrid) == [two_roofs.faces[1].name]
    assert kept.surveyed.name == "Garage" and faces(kept) == [two_roofs.faces[0].name]
    assert [unit.inverter.key for unit in swap.removed] == ["tarnlight-3"]
    both = plan(two_roofs).option("hybrid-swap").design
    assert len(both.removed) == 2 and len(both.converters) == 1


def test_the_line_groups_units_and_shows_what_comes_nearest_to_its_limit(two_roofs):
    made = plan(two_roofs.with_existing_inverter(1, inverter="tarnlight-6"))
    line = line_of(made, made.option("ac-addon"))
    assert line.station("Inverter").headline == "5 + 6 kW string"
    assert line.station("Inverter").headroom.caption.startswith("0.60 of")
    more = made.job.with_(existing_batteries=(OLD, OLD.with_(name="Older")))
    crowded = plan(more)
    names = [station.name for station in line_of(crowded, crowded.option("ac-addon")).stations]
    assert "Battery" in names and "2 more units" in names
    moment = moment_of(crowded, crowded.option("ac-addon"), 17_000)
    year = crowded.option("ac-addon").outcome.year
    assert moment.legs["0:ac"] == pytest.approx(sum(year.of("ac", number)[17_000] for number in (0, 1)))
    assert moment.legs["2:ac"] == pytest.approx(sum(year.of("ac", number)[17_000] for number in (2, 3)))


def test_what_is_moved_or_taken_away_is_paid_for(two_roofs):
    def lines(job, key="hybrid-swap"):
        return {
            line.label: line.amount for line in plan(job).option(key).outcome.money.lines if line.kind == "removal"
        }

    usual = two_roofs.costs.remove_unit
    assert sum(lines(two_roofs).values()) == 2 * usual
    dear = two_roofs.with_existing_inverter(1, works_cost=777.0)
    assert sorted(lines(dear).values()) == sorted([usual, 777.0])
    moved = two_roofs.with_existing_inverter(0, fate="move", works_cost=321.0)
    assert 321.0 in lines(moved, "ac-addon").values()
    again = lines(two_roofs.with_existing_inverter(0, fate="move"), "ac-addon")
    assert next(iter(again.values())) > usual
    packs = two_roofs.with_(existing_batteries=(OLD.with_(fate="remove", works_cost=55.0),))
    assert 55.0 in lines(packs, "ac-addon").values()
    # Packs on an inverter that is there are moved, or go, at a price of their own.
    hybrid = demo_job("dairy").with_existing_battery(0, fate="move", works_cost=44.0)
    assert 44.0 in lines(hybrid, "clock-bank").values()
    gone = hybrid.with_existing_battery(0, fate="remove", works_cost=33.0)
    assert 33.0 in lines(gone, "hybrid-swap").values()


def test_a_measured_battery_holds_what_was_measured(two_roofs):
    def usable(battery):
        made = plan(two_roofs.with_(existing_batteries=(battery,)))
        return made.option("as-is").design.battery_converter.bank.usable_kwh

    new = usable(OLD.with_(health=1.0))
    assert usable(OLD) == pytest.approx(0.8 * new)
    assert usable(OLD.with_(measured_kwh=5.0)) == pytest.approx(5.0)
    assert usable(OLD.with_(measured_kwh=50.0)) == pytest.approx(new)


def test_two_old_batteries_are_both_there_and_each_may_wait(two_roofs):
    more = OLD.with_(name="Older", inverter="umberlow-h5", health=0.5, waits=True)
    made = plan(two_roofs.with_(existing_batteries=(OLD, more)))
    addon = made.option("ac-addon")
    assert [unit.battery_surveyed and unit.battery_surveyed.name for unit in addon.design.converters[2:]] == [
        "Old",
        "Older",
        None,
    ]
    assert addon.outcome.year.largest_residual_kwh < 1e-9
    given = [addon.outcome.year.of("discharge", number).sum() for number in (2, 3)]
    first = plan(two_roofs.with_(existing_batteries=(OLD.with_(waits=True), more.with_(waits=False))))
    other = [first.option("ac-addon").outcome.year.of("discharge", number).sum() for number in (2, 3)]
    assert other[0] < given[0] and other[1] > given[1]
    # The new one and the first old one chase the same meter; when one waits the other two still do.
    rivals = next(item for item in addon.findings if item.check == "two controllers")
    assert rivals.mends and "Let Old wait" in [mend.label for mend in rivals.mends]


def test_a_second_unit_of_the_same_kind_stands_under_one_controller(two_roofs):
    job = two_roofs.with_(
        existing_batteries=(OLD.with_(inverter="mossgate-5"),),
        battery=two_roofs.battery.with_(pack="fern-48", count=2),
    )
    made = plan(job)
    second = made.option("two-units")
    assert second.design.title == "Second unit of the same kind"
    keys = [unit.inverter.key for unit in second.design.converters if unit.has_battery]
    assert keys == ["mossgate-5", "mossgate-5"]
    assert len(second.design.together) == 2
    assert forming_kw(second.design) > 1.5 * forming_kw(made.option("as-is").design)
    assert all(item.check != "two controllers" for item in second.findings)
    three = job.with_(existing_batteries=tuple(OLD.with_(name=f"B{n}", inverter="mossgate-5") for n in range(3)))
    assert "at most 3 side by side, not 4" in plan(three).option("two-units").refusal.reasons[0]


def test_old_packs_move_to_a_new_hybrid_alone_or_with_new_ones(two_roofs):
    reused = OLD.with_(fate="reuse")
    same = plan(
        two_roofs.with_(existing_batteries=(reused,), battery=two_roofs.battery.with_(pack="fern-48", count=1))
    ).option("old-packs")
    carrier = same.design.converters[0]
    assert same.design.title == "Old and new packs on a new hybrid"
    assert (carrier.bank.count, carrier.added.count, carrier.battery_surveyed.name) == (3, 1, "Old")
    assert carrier.bank.health == pytest.approx((2 * 0.8 + 1) / 3)
    paid = [line.label for line in same.outcome.money.lines if line.kind == "battery"]
    assert paid == ["1 × Fern 4.8 (48 V)"]
    assert "mossgate-3" in [unit.inverter.key for unit in same.design.removed]
    other = plan(
        two_roofs.with_(existing_batteries=(reused,), battery=two_roofs.battery.with_(pack="slate-26", count=4))
    ).option("old-packs")
    assert other.design.title == "Old packs on a new hybrid"
    assert not [line for line in other.outcome.money.lines if line.kind == "battery"]
    assert not other.design.converters[0].battery_is_new
    kept = plan(two_roofs.with_(existing_batteries=(OLD,))).option("old-packs")
    assert kept.refusal.reasons == ("The survey keeps the old battery where it is",)


@pytest.mark.parametrize(
    ("changes", "wanted"),
    [
        ({"existing_inverters": [{"inverter": "tarnlight-5"}] * 2}, "existing_inverters: 'Inverter' stands twice"),
        ({"existing_batteries": [{"pack": "fern-48", "wired_to": "Attic"}]}, "'Attic'; wanted 'Garage' or 'Barn'"),
        (
            {"existing_batteries": [{"pack": "fern-48", "inverter": "mossgate-3", "wired_to": "Barn"}]},
            "wanted one of the two",
        ),
        (
            {"existing_batteries": [{"pack": "fern-48"}, {"name": "B", "pack": "fern-48", "wired_to": "Garage"}]},
            "two are on 'Garage'; wanted one on each",
        ),
        ({"existing_inverters": []}, "none is stated, but"),
        (
            {"existing_inverters": [], "faces": [], "existing_batteries": [{"pack": "fern-48"}]},
            "existing_batteries.0.inverter: is missing",
        ),
    ],
)
def test_a_survey_that_does_not_add_up_is_refused(two_roofs, changes, wanted):
    document = json.loads(two_roofs.model_dump_json()) | changes
    with pytest.raises(ValueError, match="validation error") as caught:
        Job.model_validate(document)
    assert wanted in str(caught.value)


def test_a_job_that_states_one_of_each_is_read_as_one_that_states_several(two_roofs):
    document = json.loads(demo_job("dairy").model_dump_json())
    one = {name: value for name, value in document.items() if not name.startswith("existing_")}
    one["existing_inverter"] = {"inverter": "kelder-dc48", "age_years": 9, "fate": "reuse"}
    one["existing_battery"] = None
    read = parse_job(json.dumps(one), "old.json")
    assert [unit.inverter for unit in read.existing_inverters] == ["kelder-dc48"]
    assert read.existing_batteries == ()


def test_an_inverter_that_is_called_otherwise_keeps_what_hangs_on_it(two_roofs):
    named = two_roofs.with_existing_inverter(1, name="Byre")
    assert named.faces[1].wired_to == "Byre"
    assert [faces(unit) for unit in plan(named).option("as-is").design.converters] == [
        [face.name] for face in two_roofs.faces
    ]


def test_two_hybrids_side_by_side_share_roof_and_packs(two_roofs):
    battery = two_roofs.battery.with_(pack="fern-48", count=2, hybrid="umberlow-h5")
    one = plan(two_roofs.with_(battery=battery)).option("hybrid-swap")
    made = plan(two_roofs.with_(battery=battery.with_(units=2)))
    two = made.option("hybrid-swap")
    (hybrid,) = two.design.converters
    assert hybrid.inverter.name == "2 × Umberlow 5 hybrid" and hybrid.inverter.ac_kw == 10.0
    assert len(hybrid.inverter.pv_side.trackers) == 4
    assert hybrid.bank.usable_kwh == pytest.approx(2 * one.design.leader.bank.usable_kwh)
    assert array_by_unit_kw(hybrid)[0] == pytest.approx(array_by_unit_kw(hybrid)[1])
    assert two.design.counted_kw(made.job.supply) == 10.0
    assert forming_kw(two.design) == pytest.approx(2 * forming_kw(one.design))
    prices = [line.amount for line in two.outcome.money.lines if line.kind == "unit"]
    assert prices == [2 * hybrid.inverter.price / 2]
    (alike,) = [item for item in two.findings if item.check == "units alike"]
    assert "one stands for all" in alike.sentence and alike.severity.name == "OK"
    ladders = [ladder.head for ladder in ladders_of(two)]
    assert ladders == ["Unit 1, input 1", "Unit 2, input 1", "Unit 1, input 2", "Unit 2, input 2"]
    assert "half of it stops" in coupling_facts(two.design, made.job).units[0].fails
    alone = plan(two_roofs.with_(battery=battery.with_(hybrid="umberlow-h37", units=2))).option("hybrid-swap")
    assert "its maker allows one alone, not 2" in alone.refusal.reasons[0]


def test_strings_all_on_one_of_two_hybrids_are_found(two_roofs):
    battery = two_roofs.battery.with_(pack="fern-48", count=2, hybrid="umberlow-h5", units=2)
    strings = tuple(
        PlannedString(face=face.name, modules=10, input=n) for n, face in zip((1, 3), two_roofs.faces, strict=True)
    )
    job = two_roofs.with_(battery=battery, string_plans=(StringPlan(inverter="umberlow-h5", strings=strings),))
    (uneven,) = [item for item in plan(job).option("hybrid-swap").findings if item.check == "units alike"]
    assert uneven.severity.name == "CHECK" and "spread the strings more evenly" in uneven.sentence


def test_three_single_phase_units_make_three_phases(two_roofs):
    farm = demo_job("dairy")
    new = tuple(face.with_(fate="new") for face in farm.faces)
    bare = farm.with_(faces=new, existing_inverters=(), existing_batteries=(), string_plans=())
    battery = bare.battery.with_(pack="fern-48", count=4, battery_inverter="mossgate-5", units=3)
    whole = plan(bare.with_(battery=battery)).option("ac-addon").design.leader.inverter
    assert (whole.phases, whole.ac_kw, whole.max_ac_a) == ("three", 15.0, pytest.approx(whole.max_ac_a))
    single = KIT["mossgate-5"]
    assert (
        whole.max_ac_a == single.max_ac_a and whole.outage_output.continuous_kw == 3 * single.backup.continuous_kw
    )
    two = plan(bare.with_(battery=battery.with_(units=2))).option("ac-addon").design.leader.inverter
    assert two.phases == "single"


def test_units_side_by_side_pass_what_each_passes_where_their_maker_says_so():
    unit = KIT["mossgate-5"]
    assert unit.backup.pass_through_adds and unit.times(2).backup.pass_through_a == 2 * 63.0
    assert unit.on_phases(3, "three").backup.pass_through_a == 63.0
    alone = KIT["mossgate-3"]
    assert not alone.backup.pass_through_adds and alone.times(2).backup.pass_through_a == 50.0
    # A house that draws more than one passes takes as many as carry it.
    place = ("Perth, Australia", "Australia", -31.95, 115.86, "Australia/Perth")
    job = new_job("Home", *place, 24000.0, library(), 16)
    supply = job.supply.with_(main_fuse_a=100.0)
    job = job.with_(
        supply=supply, battery=job.battery.with_(pack="fern-96", count=2, battery_inverter="mossgate-5")
    )

    def passes(job):
        return next(item for item in plan(job).option("ac-addon").findings if item.check == "pass-through")

    few = passes(job)
    assert "which passes 63 A: a breaker of 63 A" in few.sentence
    mend = next(item for item in few.mends if item.label == "2 units side by side")
    enough = passes(mend.apply(job))
    assert few.measured > few.limit == 63.0 and enough.measured < enough.limit == 126.0
    assert "stands behind" not in enough.sentence


def test_an_old_battery_on_what_does_not_speak_to_it_is_found_and_mended(two_roofs):
    wrong = two_roofs.with_(existing_batteries=(OLD.with_(inverter="mossgate-5", pack="slate-26", count=4),))
    (one,) = [item for item in plan(wrong).option("as-is").findings if item.check == "existing battery"]
    assert "does not speak to Slate 2.6" in one.sentence and "Read both labels again" in one.sentence
    assert one.mends == () or plan(one.mends[0].apply(wrong)) is not None
    other = two_roofs.with_(existing_batteries=(OLD.with_(inverter="wharfell-aio5"),))
    (again,) = [item for item in plan(other).option("as-is").findings if item.check == "existing battery"]
    mended = plan(again.mends[0].apply(other)).option("as-is")
    assert not [item for item in mended.findings if item.check == "existing battery"]


def test_a_sweep_of_sizes_moves_every_inverter_of_the_roof_in_proportion(two_roofs):
    made = plan(two_roofs)
    option = made.option("as-is")
    sweep = sweep_inverter(made, option)
    assert (sweep.chosen_kw, sweep.units) == (8.0, 2)
    at = int(np.flatnonzero(sweep.ac_kw == 8.0)[0])
    assert sweep.bill[at] == pytest.approx(option.outcome.money.bill)
    assert sweep.given_kwh[at] == pytest.approx(sum(option.outcome.year.kwh_out(number) for number in (0, 1)))
    assert (np.diff(sweep.clipped_kwh) <= 1e-6).all()
    hours = load_hours(option)
    giving = sum(option.outcome.year.of("ac", number) for number in (0, 1)) > 0
    assert hours.hours.sum() == pytest.approx(giving.sum() * 0.25)
    day = clipped_day(made, option)
    assert day.limit_kw == 8.0 and day.given.max() <= 8.0 + 1e-9


@pytest.fixture(scope="module")
def three_new():
    """A bare house whose three faces take three new string inverters, two of them alike."""
    job = demo_job("two-homes")
    faces = tuple(
        face.with_(fate="new", wired_to=None, strings=1, rectangle=None, count=count, module="quillmere-440")
        for face, count in zip(job.faces, (30, 20, 17), strict=True)
    )
    return job.with_(existing_inverters=(), existing_batteries=(), faces=faces)


def strings_of(option):
    return [
        (unit.inverter.key, unit.alike, plan_of(unit.stringing, unit.inverter.key, unit.alike).strings)
        for unit in option.design.pv_converters
    ]


@pytest.mark.parametrize("number", [0, 1, 2])
def test_strings_of_one_of_several_new_inverters_changed_by_hand_leave_the_others(three_new, number):
    option = plan(three_new).option("ac-addon")
    before = strings_of(option)
    assert [(key, alike) for key, alike, _ in before] == [
        ("tarnlight-10t", 1),
        ("tarnlight-10t", 2),
        ("tarnlight-6t", 1),
    ]
    unit = option.design.pv_converters[number]
    laid = plan_of(unit.stringing, unit.inverter.key, unit.alike)
    shorter = with_length(laid, 0, laid.strings[0].modules - 1)
    changed = plan(job_with_plan(three_new, option.design, shorter)).option("ac-addon")
    after = strings_of(changed)
    assert after[number] == (*before[number][:2], shorter.strings)
    assert [item for at, item in enumerate(after) if at != number] == [
        item for at, item in enumerate(before) if at != number
    ]
    left = [
        (item.face.plan.name, item.modules) for u in changed.design.pv_converters for item in u.stringing.left_out
    ]
    assert left == [(laid.strings[0].face, 1)]


def test_modules_that_two_units_ask_for_are_a_fault(three_new):
    option = plan(three_new).option("ac-addon")
    first, second, _ = option.design.pv_converters
    laid = plan_of(second.stringing, second.inverter.key, second.alike)
    taken = PlannedString(face=first.faces[0].plan.name, modules=12, input=2)
    job = job_with_plan(three_new, option.design, laid.with_(strings=(*laid.strings, taken)))
    changed = plan(job).option("ac-addon").design.pv_converters
    assert [unit.alike for unit in changed[:2]] == [1, 2]
    assert any("strings of all units ask for 42" in fault for fault in changed[1].stringing.faults)


def test_one_inverter_that_a_person_lays_all_modules_on_is_one(three_new):
    """The planner would take two where its own rules leave modules out; strings by hand that hold all are one's."""
    first, second, third = three_new.faces
    job = three_new.with_(
        faces=(first.with_(count=15), second.with_(count=14), third.with_(count=14)),
        battery=three_new.battery.with_(string_inverter="tarnlight-10t"),
    )
    strings = (
        PlannedString(face=first.name, modules=15, input=1),
        PlannedString(face=second.name, modules=14, input=2),
        PlannedString(face=third.name, modules=14, input=2),
    )
    by_hand = job.with_string_plan("tarnlight-10t", StringPlan(inverter="tarnlight-10t", strings=strings))
    assert len(plan(job).option("ac-addon").design.pv_converters) > 1
    (only,) = plan(by_hand).option("ac-addon").design.pv_converters
    assert only.stringing.origin == "planned" and not only.stringing.left_out


def test_a_new_hybrid_beside_one_of_its_kind_has_strings_of_its_own():
    job = demo_job("pottery")
    there, to_come = job.faces
    old = ExistingInverter(name="Old", inverter="umberlow-h5", fate="keep")
    twin = job.with_(
        existing_inverters=(old,),
        faces=(there.with_(wired_to="Old"), to_come.with_(fate="new", wired_to=None, strings=1)),
        battery=job.battery.with_(hybrid="umberlow-h5"),
    )
    option = plan(twin).option("hybrid-beside")
    kept, new = option.design.pv_converters
    assert kept.inverter == new.inverter and (kept.alike, new.alike) == (1, 2)
    laid = plan_of(new.stringing, new.inverter.key, new.alike)
    shorter = with_length(laid, 0, laid.strings[0].modules - 1)
    changed = plan(job_with_plan(twin, option.design, shorter)).option("hybrid-beside").design.pv_converters
    assert plan_of(changed[0].stringing, kept.inverter.key) == plan_of(kept.stringing, kept.inverter.key)
    assert plan_of(changed[1].stringing, new.inverter.key, 2) == shorter


def test_a_face_that_finds_no_input_is_still_told_where_strings_are_laid_by_hand():
    """Two modules are no string: the first one moved elsewhere on the unit took them out of the plan."""
    job = demo_job("two-homes")
    first, second, _ = job.faces
    faces = tuple(
        face.with_(fate="new", wired_to=None, strings=1, rectangle=None, count=count, module="quillmere-440")
        for face, count in ((first, 20), (second, 2))
    )
    small = job.with_(existing_inverters=(), existing_batteries=(), faces=faces)
    option = plan(small).option("ac-addon")
    (unit,) = option.design.pv_converters
    assert [item.face.plan.name for item in unit.stringing.left_out] == [second.name]
    laid = plan_of(unit.stringing, unit.inverter.key, unit.alike)
    shorter = with_length(laid, 0, laid.strings[0].modules - 1)
    changed = plan(job_with_plan(small, option.design, shorter)).option("ac-addon").design.pv_converters
    left = {item.face.plan.name: item.modules for item in changed[0].stringing.left_out}
    assert left == {first.name: 1, second.name: 2}


@pytest.fixture(scope="module")
def one_face():
    """A new house whose one face is too much for any string inverter of its service."""
    job = new_job("New", "Leeds", "United Kingdom", 53.8, -1.5, "Europe/London", 9000.0, library(), 28)
    return plan(job)


def test_a_face_too_large_for_one_inverter_is_parted_between_two(one_face):
    option = one_face.option("ac-addon")
    units = option.design.pv_converters
    assert [(unit.inverter.key, unit.alike) for unit in units] == [("tarnlight-6", 1), ("tarnlight-6", 2)]
    (face,) = one_face.faces
    # Both hang on the face itself, whose year and modules are counted once.
    assert all(unit.faces == (face,) for unit in units)
    assert [sum(run.modules for run in unit.stringing.runs) for unit in units] == [14, 14]
    assert not option.stopped and not any(unit.stringing.homeless for unit in units)
    assert option.outcome.figures.pv_dc_kwh == pytest.approx(face.yearly_kwh, rel=0.03)
    (modules,) = (part for part in materials_of(option) if part.group == "Modules")
    assert modules.quantity == 28


def test_strings_of_a_parted_face_are_laid_by_hand_on_one_of_its_inverters(one_face):
    option = one_face.option("ac-addon")
    first = option.design.pv_converters[0]
    laid = plan_of(first.stringing, first.inverter.key, first.alike)
    shorter = with_length(laid, 0, laid.strings[0].modules - 1)
    changed = plan(job_with_plan(one_face.job, option.design, shorter)).option("ac-addon").design.pv_converters
    assert [sum(run.modules for run in unit.stringing.runs) for unit in changed] == [13, 14]
    assert [item.modules for unit in changed for item in unit.stringing.left_out] == [1]


def test_a_face_with_boxes_under_its_modules_is_not_parted(one_face):
    job = one_face.job.with_(faces=(one_face.job.faces[0].with_(electronics="hollin-600"),))
    for option in plan(job).live:
        hung = [unit.faces for unit in option.design.pv_converters if unit.micro is None]
        assert len(hung) == len(set(hung))


def test_a_face_that_one_inverter_takes_is_not_parted(one_face):
    job = one_face.job.with_(faces=(one_face.job.faces[0].with_(count=20),))
    (unit,) = plan(job).option("ac-addon").design.pv_converters
    assert sum(run.modules for run in unit.stringing.runs) == 20


def test_few_modules_without_an_input_are_left_off_a_new_face(one_face):
    option = one_face.option("hybrid-swap")
    (found,) = (item for item in option.findings if item.check == "tracker inputs")
    assert option.stopped and "2 of Roof (every input is taken)" in found.sentence
    (mend,) = (mend for mend in found.mends if mend.label == "Lay 26 modules on Roof")
    again = plan(mend.apply(one_face.job)).option("hybrid-swap")
    assert not again.stopped and again.design.pv_converters[0].array_kw == pytest.approx(26 * 0.415)


def test_more_modules_than_one_hybrid_takes_are_laid_on_two_side_by_side(one_face):
    many = plan(one_face.job.with_face(0, count=40, strings=1))
    option = many.option("hybrid-swap")
    (found,) = (item for item in option.findings if item.check == "tracker inputs")
    assert option.stopped and "14 of Roof" in found.sentence
    (mend,) = (mend for mend in found.mends if mend.label == "2 units side by side")
    again = plan(mend.apply(many.job)).option("hybrid-swap")
    assert not again.stopped and again.design.leader.bank.units == 2
    assert sum(run.modules for unit in again.design.pv_converters for run in unit.stringing.runs) == 40
