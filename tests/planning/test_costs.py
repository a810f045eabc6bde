"""Everything a job causes reaches its cost lines, and what is paid towards it its cap."""

import pytest
from pydantic import ValidationError

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.tariff import Costs, Incentive
from tests.plans import plan

FREE = Costs(
    labour_per_hour=0, once_per_job=0, backup_board=0, backup_circuit=0, whole_changeover=0, shed_relay=0,
    restring_per_string=0, remove_unit=0, module_labour=0, fuse=0,
)  # fmt: skip


def lines_of(job, key):
    return plan(job).option(key).outcome.money.lines


@pytest.mark.parametrize(
    ("name", "key"),
    [
        ("permit", "ac-addon"),
        ("engineering", "ac-addon"),
        ("gateway", "ac-addon"),
        ("labour_per_hour", "ac-addon"),
        ("once_per_job", "ac-addon"),
        ("whole_changeover", "ac-addon"),
        ("remove_unit", "hybrid-swap"),
        ("restring_per_string", "hybrid-swap"),
    ],
)
def test_each_price_of_the_list_reaches_the_outlay(demo, name, key):
    bare = plan(demo.with_(costs=FREE)).option(key).outcome.money.outlay
    priced = plan(demo.with_(costs=FREE.with_(**{name: 100.0}))).option(key).outcome.money.outlay
    assert priced >= bare + 100.0 - 1e-6
    assert (priced - bare) / 100.0 == pytest.approx(round((priced - bare) / 100.0, 1))


@pytest.mark.parametrize("name", ["backup_board", "backup_circuit"])
def test_a_sub_board_and_its_circuits_are_counted_where_a_part_is_backed_up(demo, name):
    first, *rest = demo.board.circuits
    job = demo.with_(backup_board=demo.board.with_(circuits=(first.with_(role="grid only"), *rest)), costs=FREE)
    bare = plan(job).option("ac-addon").outcome.money.outlay
    priced = plan(job.with_(costs=FREE.with_(**{name: 100.0}))).option("ac-addon").outcome.money.outlay
    # The inverter that is there moves to the board with them.
    assert priced - bare == pytest.approx(100.0 * (1 if name == "backup_board" else len(rest) + 1))


def test_modules_taken_off_scaffold_and_cable(demo):
    faces = (demo.faces[0].with_(fate="remove"), *demo.faces[1:])
    costs = FREE.with_(module_removal=30.0, scaffold=800.0, cable_per_metre=7.0, cable_metres=25.0)
    lines = {line.label: line.amount for line in lines_of(demo.with_(faces=faces, costs=costs), "ac-addon")}
    assert lines[f"Taking {faces[0].count} modules off"] == 30.0 * faces[0].count
    assert lines["Scaffold"] == 800.0
    assert lines["Cable, laid"] == 175.0
    stays = {line.label for line in lines_of(demo.with_(costs=costs), "ac-addon")}
    assert "Scaffold" not in stays


def test_the_margin_is_on_everything_but_what_is_paid_towards_it(demo):
    costs = demo.costs.with_(margin=0.2, rebate_per_kwh=50.0)
    lines = lines_of(demo.with_(costs=costs), "ac-addon")
    whole = sum(line.amount for line in lines if line.kind not in {"margin", "rebate"})
    assert next(line.amount for line in lines if line.kind == "margin") == pytest.approx(0.2 * whole)


def test_incentives_for_array_and_battery_by_each_measure_and_below_their_caps():
    job = demo_job("cottage")
    option = plan(job).option("hybrid-swap")
    lines = option.outcome.money.lines
    battery = option.design.battery_converter
    array_kw = sum(face.count for face in job.faces) * option.context.faces[0].module.power_w / 1000
    worth = {
        "battery": sum(line.amount for line in lines if line.kind in {"battery", "unit"}),
        "array": sum(line.amount for line in lines if line.kind == "modules"),
    }
    incentives = (
        Incentive(name="by energy", per="kWh", amount=40),
        Incentive(name="by power", per="kW", amount=60),
        Incentive(name="thirty", per="%", amount=30),
        Incentive(name="thirty, capped", per="%", amount=30, cap=500, authority="A ministry", dated="2026-07"),
        Incentive(name="array", pays_for="array", per="kW", amount=100),
        Incentive(name="all of the array", pays_for="array", per="kW", amount=1e6),
    )
    found = {
        line.label: -line.amount
        for line in lines_of(job.with_(costs=job.costs.with_(incentives=incentives)), "hybrid-swap")
        if line.kind == "rebate"
    }
    assert found["by energy"] == pytest.approx(40 * battery.bank.nominal_kwh)
    assert found["by power"] == pytest.approx(60 * battery.gives[0])
    assert found["thirty"] == pytest.approx(0.3 * worth["battery"])
    assert found["thirty, capped"] == 500
    assert found["array"] == pytest.approx(100 * array_kw)
    # Nobody is paid more than the thing costs.
    assert found["all of the array"] == pytest.approx(worth["array"])


def test_an_empty_cap_is_no_cap_and_what_makes_no_sense_is_refused():
    assert Incentive(name="x", amount=1).cap is None
    for fields, words in (
        ({"pays_for": "array", "per": "kWh", "amount": 1}, "an array is paid for by the kW"),
        ({"per": "%", "amount": 130}, "at most 100"),
    ):
        with pytest.raises(ValidationError, match=words):
            Incentive(name="x", **fields)


def test_a_new_job_begins_with_the_firms_list(tmp_path, monkeypatch):
    from calm_relay.exchange import own_equipment
    from calm_relay.planning.site.new_job import new_job

    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path))
    own_equipment.write_prices(Costs(labour_per_hour=71.0, margin=0.15, cable_metres=40.0))
    job = new_job("x", "Tralee", "Ireland", 52.27, -9.7, "Europe/Dublin", 5000.0, own_equipment.library(), 10)
    assert (job.costs.labour_per_hour, job.costs.margin, job.costs.cable_metres) == (71.0, 0.15, 0.0)
    (tmp_path / "prices.json").write_text("{]")
    assert own_equipment.library().costs is None


def test_degressive_and_capped_incentives_by_hand(demo):
    """Published schemes of this kind pay a part beyond a bound: the sums here are worked by hand from their terms."""
    # 14.4 kWh of battery: 10 in full at 40, 4.4 at 60 % of it.
    parts = [
        Incentive(name="steps", per="kWh", amount=40, full_up_to=10, beyond=0.6),
        Incentive(name="steps, capped", per="kWh", amount=40, full_up_to=10, beyond=0.6, cap=450),
        Incentive(name="nothing beyond", per="kWh", amount=40, full_up_to=10, beyond=0.0),
    ]
    option = plan(demo.with_(costs=demo.costs.with_(incentives=parts))).option("ac-addon")
    kwh = option.design.battery_converter.bank.nominal_kwh
    assert kwh == pytest.approx(14.4)
    paid = {line.label: -line.amount for line in option.outcome.money.lines if line.kind == "rebate"}
    assert paid["steps"] == pytest.approx(40 * (10 + 0.6 * 4.4))
    assert paid["steps, capped"] == 450
    assert paid["nothing beyond"] == pytest.approx(400)


@pytest.mark.parametrize(
    "fields",
    [
        {"per": "kWh made", "amount": 1},
        {"per": "kWh made", "pays_for": "array", "amount": 1},
        {"per": "kWh made", "paid": "each year", "amount": 1},
        {"paid": "each year", "years": 0, "amount": 1},
        {"amount": 1, "beyond": 1.2},
    ],
)
def test_an_incentive_that_cannot_be_is_told(fields):
    with pytest.raises(ValidationError):
        Incentive(name="x", **fields)
