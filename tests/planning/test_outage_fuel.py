"""Fuel of a generator that stands in for the grid by hand: what outages cost today, and what a battery saves of it."""

import pytest

from calm_relay.exchange.shipped import library
from calm_relay.job.existing_supply import ON_CHANGEOVER, ON_INPUT, ExistingChangeover, Generator
from calm_relay.job.finance import Finance
from calm_relay.physics.money import present_value
from calm_relay.planning.commissioning.functional_tests import functional_tests_of
from calm_relay.planning.common.amounts import money_text
from calm_relay.planning.handover.offer import offer_of
from calm_relay.planning.handover.work_order import steps_of
from calm_relay.planning.operation.finance import OUTAGES
from calm_relay.planning.operation.fuel import stand_in_cost, stand_in_litres
from calm_relay.planning.site.new_job import new_job
from calm_relay.planning.studies.cash_flow import cash_flow_of
from calm_relay.planning.studies.futures import future_of
from calm_relay.planning.studies.search import search
from calm_relay.planning.studies.survey import entries_of, swings_of
from calm_relay.planning.views.money_rows import workbook_of, year_rows
from tests.plans import of_few_futures, plan

HOURS, PRICE = 2000.0, 1200.0
UNSAID = Finance().outage_hours


def home(hours=HOURS, **generator):
    """A home in Lagos whose petrol set stands in by a changeover."""
    job = new_job("Weak grid", "Lagos", "Nigeria", 6.45, 3.39, "Africa/Lagos", 5000.0, library(), 12)
    petrol = Generator(
        **{"name": "Petrol set", "kw": 5.0, "on": ON_CHANGEOVER, "price_per_litre": PRICE, **generator}
    )
    return of_few_futures(
        job.with_(
            generators=(petrol,),
            existing_changeovers=(ExistingChangeover(rated_a=63, poles=2),),
            finance=job.finance.with_(outage_hours=hours),
            assumed=tuple(path for path in job.assumed if path != "finance.outage_hours" or hours == UNSAID),
            outage_hours=6.0,
        )
    )


@pytest.fixture(scope="module")
def made():
    return plan(home())


@pytest.fixture(scope="module")
def steady():
    return plan(home(hours=0.0))


def test_what_an_outage_burns_by_hand(made):
    """5,000 kWh are 0.571 kW; a 5 kW set burns 0.4 l/kWh x (0.25 x 5 + 0.75 x 0.571) kW = 0.671 l an hour."""
    litres = stand_in_litres(made.job, made.demand)
    assert litres == pytest.approx(0.4 * (0.25 * 5.0 + 0.75 * 5000.0 / 8760.0) * HOURS)
    assert litres == pytest.approx(1342.5, abs=0.5)
    assert stand_in_cost(made.job, made.demand, 0.0) == pytest.approx(litres * PRICE)
    assert stand_in_cost(made.job, made.demand, 0.75) == pytest.approx(0.25 * litres * PRICE)


def test_a_battery_saves_the_share_it_rides_through_less_what_is_not_billed_then(made, steady):
    burnt = stand_in_cost(made.job, made.demand, 0.0)
    for option in made.live[1:]:
        money, before = option.outcome.money, steady.option(option.key).outcome.money
        assert money.saving == pytest.approx(before.saving)
        assert money.bill == pytest.approx(before.bill)
        lasting = option.outcome.backup.lasting
        billed = (
            HOURS
            / 8760.0
            * (before.saving - (made.as_is.outcome.money.kinds["standing"] - money.kinds["standing"]))
        )
        assert money.in_outages == pytest.approx(lasting * burnt - billed)
        years, costs = made.job.costs.horizon_years, made.job.costs
        flows = [0.0, *(money.in_outages * (1.0 + costs.price_rise) ** year for year in range(years))]
        assert money.npv - before.npv == pytest.approx(present_value(flows, costs.discount_rate))
        assert money.payback_years < before.payback_years
    assert made.as_is.outcome.money.in_outages == 0.0


def test_the_years_the_futures_the_search_and_the_table_count_it(made, steady):
    option = made.option("hybrid-swap")
    flow, without = cash_flow_of(made, option), cash_flow_of(steady, steady.option("hybrid-swap"))
    assert flow.rows[OUTAGES][1] == pytest.approx(option.outcome.money.in_outages)
    assert OUTAGES not in without.rows and flow.npv > without.npv
    assert flow.npv == pytest.approx(option.outcome.money.npv, rel=0.05)
    assert "Fuel saved in outages" in [row[0] for row in year_rows(flow)[1]] + list(year_rows(flow)[0])
    assert len(workbook_of(flow)) > 5000
    future = future_of(made, flow)
    assert future.band(future.npv)[0] < flow.npv < future.band(future.npv)[2]
    plants = search(made, most=30).plants
    assert plants and all(
        plant.brief.money.in_outages == pytest.approx(0.0) or plant.brief.backup.lasting > 0.0 for plant in plants
    )
    assert max(plant.brief.money.in_outages for plant in plants) > 0.0


def test_a_finding_tells_what_it_burns(made):
    (note,) = (item for item in made.as_is.findings if item.check == "generator by hand")
    assert note.sentence.endswith("In 2,000 h a year without grid it burns about 1,342 l, ₦ 1,610,959.")
    option = made.option("hybrid-swap")
    (note,) = (item for item in option.findings if item.check == "generator by hand")
    assert f"of which the battery rides through {option.outcome.backup.lasting:.0%}, it burns" in note.sentence


@pytest.mark.parametrize("generator", [{"on": ON_INPUT}, {"fate": "remove"}])
def test_where_none_stands_in_nothing_is_saved(generator):
    other = plan(home(**generator))
    assert all(option.outcome.money.in_outages == 0.0 for option in other.live)
    assert all(OUTAGES not in option.outcome.money.kinds for option in other.live)


def test_what_is_switched_over_by_hand_is_tried_by_hand(made):
    """No threshold starts it, and of two changeovers in a row each has a name of its own."""
    option = made.option("hybrid-swap")
    steps = [step.text for step in steps_of(option)]
    assert any(text.startswith("Start Petrol set and switch over to it by hand") for text in steps)
    assert not any("threshold" in text for text in steps)
    assert any(text.startswith("Changeover to new changeover: ") for text in steps)
    tests = {test.key: test for test in functional_tests_of(made, option)}
    assert "stay off" in tests["generator by hand"].see and "generator start" not in tests
    by_itself = plan(home(on=ON_INPUT))
    tests = {test.key for test in functional_tests_of(by_itself, by_itself.option("hybrid-swap"))}
    assert "generator start" in tests and "generator by hand" not in tests
    assert any("by its threshold" in step.text for step in steps_of(by_itself.option("hybrid-swap")))


def test_the_fuel_saved_speaks_for_an_option(made, steady):
    saved = money_text(made.job, made.option("hybrid-swap").outcome.money.in_outages)
    told = [reason.sentence for reason in made.choice.reasons["hybrid-swap"] if reason.speaks_for]
    assert any(text.startswith(f"Of the fuel burnt in outages it saves {saved}") for text in told)
    assert not any("burnt in outages" in reason.sentence for reason in steady.choice.reasons["hybrid-swap"])


def test_between_the_tropics_the_offer_knows_no_winter(made):
    """August is the dimmest month of Lagos, by its rain."""
    offer = offer_of(made, made.option("hybrid-swap"))
    assert offer.winter.title.startswith("A middling day of the dimmest month, ")
    assert offer.winter.title.endswith((" June", " July", " August", " September"))
    assert offer.summer.title.startswith("A middling day of the brightest month, ")
    assert offer.days_words == "What a dim day and a bright day look like"


@pytest.mark.parametrize(("hours", "between"), [(UNSAID, "0 to 1,000 h"), (5000.0, "2,500 to 7,500 h")])
def test_hours_without_grid_are_worth_asking_for_where_a_generator_is_kept(tmp_path, hours, between):
    """Nobody said how many: what they change of the choice stands among what to ask next."""
    job = home(hours=hours)
    unsaid = plan(job.with_(assumed=(*job.assumed, "finance.outage_hours")) if hours != UNSAID else job)
    (swing,) = (item for item in swings_of(unsaid, tmp_path).swings if item.entry.key == "outages")
    assert swing.entry.between == between and len(swing.ends) == 2
    said = {entry.key: entry for entry in entries_of(plan(home()))}
    assert said["outages"].status == "measured" and said["outages"].now == "2000 h"
    none = home(fate="remove")
    assert "outages" not in {entry.key for entry in entries_of(plan(none))}
