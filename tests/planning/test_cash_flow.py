"""The cash flow of each year: every field of the finance moves its own row, and the workbook says the same."""

import io

import numpy as np
import pytest

from calm_relay.exchange.shipped import DEMOS, demo_job
from calm_relay.job.finance import Finance, Lease, Loan
from calm_relay.job.tariff import Incentive
from calm_relay.planning.architecture.cost import storage_outlay
from calm_relay.planning.studies.battery_ageing import battery_ageing_of
from calm_relay.planning.studies.cash_flow import cash_flow_of, cash_flows_of
from calm_relay.planning.views.money_rows import beware_of, summary_of, workbook_of, year_rows
from tests.plans import plan

KEY = "ac-addon"
EVERYTHING = {
    "way": "loan",
    "maintenance": 80.0,
    "feed_in_years": 6,
    "energy_rise": 0.05,
    "battery_replaced": "after its warranty",
}


def flow_of(job, key=KEY, **finance):
    made = plan(job.with_(finance=Finance.model_validate(finance)))
    return cash_flow_of(made, made.option(key))


@pytest.fixture(scope="module")
def plain(demo):
    return flow_of(demo)


def test_cash_is_outlay_today_and_what_ageing_leaves_of_the_saving(demo, plain):
    made = plan(demo)
    option = made.option(KEY)
    assert plain.net[0] == pytest.approx(-option.outcome.money.outlay)
    ageing = battery_ageing_of(made, option)
    rise = (1.0 + demo.costs.price_rise) ** np.arange(plain.years)
    assert plain.net[1] == pytest.approx(ageing.saving[0] * rise[0], rel=1e-6)
    # The battery of year n is as old as it was at the end of the year before.
    assert plain.net[1:] == pytest.approx(ageing.saving * rise, rel=0.01, abs=2.0)


FINANCES = (
    {},
    EVERYTHING,
    {"way": "lease", "lease": {"per_month": 90.0, "years": 10}, "insurance": 60.0},
    {"battery_replaced": "when worn", "residual": 0.3, "inverter_years": 9, "export_rise": -0.02},
)


@pytest.mark.parametrize("name", DEMOS)
@pytest.mark.parametrize("finance", FINANCES)
def test_the_plan_and_the_years_one_by_one_tell_the_same_money(name, finance):
    """The plan runs the first and the last year, the cash flow each: they differ by hardly a week's saving a year."""
    made = plan(demo_job(name).with_(finance=Finance.model_validate(finance)))
    option = made.option(made.choice.key)
    flow, money = cash_flow_of(made, option), option.outcome.money
    saved = sum(np.abs(row).sum() for row in flow.saved.values())
    assert money.npv == pytest.approx(flow.npv, abs=0.02 * saved + 0.005 * money.outlay)
    if flow.payback is not None:
        assert money.payback_years == pytest.approx(flow.payback, rel=0.04, abs=0.1)


def test_a_loan_moves_the_outlay_and_costs_its_interest(demo, plain):
    loan = Loan(share=0.8, rate=0.06, years=8, fee=120.0)
    with_loan = flow_of(demo, way="loan", loan=loan)
    lent = 0.8 * -plain.rows["outlay"][0]
    assert with_loan.rows["loan"][0] == pytest.approx(lent - 120.0)
    assert np.count_nonzero(with_loan.rows["loan"][1:]) == 8
    paid = -with_loan.rows["loan"][1:].sum()
    assert paid > lent
    assert with_loan.net.sum() == pytest.approx(plain.net.sum() - (paid - lent) - 120.0)


def test_a_lease_stands_in_place_of_the_outlay(demo, plain):
    leased = flow_of(demo, way="lease", lease=Lease(per_month=90.0, years=5, rise=0.1))
    assert "outlay" not in leased.rows
    assert leased.rows["rent"][1:6] == pytest.approx([-1080.0 * 1.1**n for n in range(5)])
    assert leased.rows["rent"][6] == 0.0


def test_upkeep_replacement_and_residual_have_rows_of_their_own(demo, plain):
    kept = flow_of(
        demo, maintenance=100.0, insurance=50.0, upkeep_rise=0.0, inverter_years=10, residual=0.1,
        battery_replaced="after its warranty", battery_price_fall=0.05,
    )  # fmt: skip
    assert kept.rows["upkeep"][1:] == pytest.approx(-150.0)
    option = kept.option
    hours = option.design.leader.bought_packs.install_hours * demo.costs.labour_per_hour
    price = option.design.leader.bought_packs.price
    warranty = round(option.design.leader.bank.pack.warranty_years)
    assert kept.rows["battery"][warranty] == pytest.approx(-(price * 0.95**warranty + hours))
    assert np.count_nonzero(kept.rows["battery"]) == 1
    assert kept.rows["inverter"][10] < 0.0 and np.count_nonzero(kept.rows["inverter"]) == 1
    assert kept.rows["residual"][-1] == pytest.approx(0.1 * price * kept.left[-1])
    # New packs give more than old ones.
    assert kept.given_kwh[warranty] > plain.given_kwh[warranty]


def test_each_kind_of_price_rises_by_itself(demo, plain):
    dear = flow_of(demo, energy_rise=0.10, export_rise=0.0, standing_rise=0.0)
    assert dear.rows["energy"][-1] / dear.saved["energy"][-1] == pytest.approx(1.1 ** (dear.years - 1))
    assert dear.rows["export"][1:] == pytest.approx(dear.saved["export"])


def test_an_export_contract_ends(demo, plain):
    ended = flow_of(demo, feed_in_years=5, feed_in_after=0.25)
    assert ended.rows["export"][5] == pytest.approx(plain.rows["export"][5])
    assert ended.rows["export"][6] == pytest.approx(0.25 * plain.rows["export"][6])


def test_an_incentive_of_next_year_is_no_part_of_the_outlay(demo):
    at_sale = Incentive(name="Grant", per="kWh", amount=100.0)
    costs = demo.costs.with_(incentives=(at_sale,))
    now = flow_of(demo.with_(costs=costs))
    later = flow_of(demo.with_(costs=demo.costs.with_(incentives=(at_sale.with_(paid="next year"),))))
    worth = later.rows["incentives"][1]
    assert worth > 0.0
    assert later.rows["outlay"][0] == pytest.approx(now.rows["outlay"][0] - worth)
    assert later.npv < now.npv


def test_off_grid_fuel_is_what_is_saved():
    from calm_relay.exchange.shipped import demo_job

    made = plan(demo_job("hut"))
    flow = cash_flow_of(made, made.option(made.choice.key))
    assert set(flow.saved) == {"fuel"}
    assert summary_of(flow)


def test_options_are_counted_beside_each_other(demo_plan):
    flows = cash_flows_of(demo_plan, demo_plan.option(KEY))
    assert flows[0].option.key == KEY
    assert 2 <= len(flows) <= 4 and len({flow.option.key for flow in flows}) == len(flows)
    refused = next(option for option in demo_plan.options if option not in demo_plan.live)
    assert cash_flows_of(demo_plan, refused) == ()


def test_rows_and_sums_are_the_flows(plain):
    heads, rows = year_rows(plain)
    assert len(heads) == plain.years + 2
    assert heads[:2] == ["NZ$, end of year", "today"]
    assert rows[-1][0] == "Running sum" and rows[-2][0] == "Net"
    assert all(len(row) == len(heads) for row in rows)


def computed(book, sheet="Cash flow"):
    """Values of a sheet's cells by the formulas that the workbook uses."""
    import re

    cells = {}

    def value(name, cell):
        key = (name, cell)
        if key not in cells:
            raw = book[name][cell].value
            cells[key] = formula(name, raw[1:]) if isinstance(raw, str) and raw.startswith("=") else raw or 0.0
        return cells[key]

    def formula(name, text):
        def spread(match):
            cells_of = book[name][f"{match[1]}:{match[2]}".replace("$", "")]
            rows = cells_of if isinstance(cells_of[0], tuple) else (cells_of,)
            return repr([value(name, cell.coordinate) for row in rows for cell in row])

        text = re.sub(r"(\$?[A-Z]+\$?\d+):(\$?[A-Z]+\$?\d+)", spread, text)
        text = re.sub(r"'Cash flow'!([A-Z]{1,2}\d+)", lambda m: repr(float(value("Cash flow", m[1]))), text)
        text = re.sub(r"Assumptions!\$B\$(\d+)", lambda m: repr(float(value("Assumptions", f"B{m[1]}"))), text)
        text = re.sub(
            r"(?<![\w.])\$?([A-Z]{1,2})\$?(\d+)", lambda m: repr(float(value(name, f"{m[1]}{m[2]}"))), text
        )
        text = text.replace("^", "**")
        import numpy_financial as npf

        return eval(text, {"SUM": sum, "IRR": npf.irr, "IF": lambda test, yes, no: yes if test else no})

    return value


@pytest.mark.parametrize(
    "finance",
    [
        {},
        {
            "way": "loan",
            "maintenance": 80.0,
            "feed_in_years": 6,
            "energy_rise": 0.05,
            "battery_replaced": "after its warranty",
        },
    ],
    ids=["plain", "all of it"],
)
def test_the_workbooks_formulas_come_to_the_same(demo, finance):
    from openpyxl import load_workbook

    flow = flow_of(demo, **finance)
    book = load_workbook(io.BytesIO(workbook_of(flow)))
    sheet, value = book["Cash flow"], computed(book)
    row = {sheet.cell(n, 1).value: n for n in range(1, sheet.max_row + 1)}
    letters = [sheet.cell(2, year + 2).column_letter for year in range(flow.years + 1)]
    assert [value("Cash flow", f"{c}{row['Net']}") for c in letters] == pytest.approx(list(flow.net))
    assert value("Cash flow", f"{letters[-1]}{row['Running sum']}") == pytest.approx(flow.running[-1])
    assert value("Cash flow", f"B{row['Net present value']}") == pytest.approx(flow.npv)
    if flow.irr is not None and flow.irr > -0.5:
        assert value("Cash flow", f"B{row['Rate of return']}") == pytest.approx(flow.irr, abs=1e-6)
    formulas = [cell.value for line in sheet.iter_rows() for cell in line if str(cell.value).startswith("=")]
    assert len(formulas) > 3 * flow.years


def test_incentives_of_each_year_fall_and_end(demo):
    """A payment a kW of battery for three years, falling by a tenth; certificates for what new modules make."""
    each = Incentive(name="Each", per="kWh", amount=10.0, paid="each year", years=3, falls=0.1)
    flow = flow_of(demo.with_(costs=demo.costs.with_(incentives=[each])))
    kwh = flow.option.design.battery_converter.bank.nominal_kwh
    assert flow.rows["incentives"][:5] == pytest.approx([0.0, 10 * kwh, 9 * kwh, 8.1 * kwh, 0.0])
    cottage = demo_job("cottage")
    made = Incentive(name="Made", pays_for="array", per="kWh made", amount=0.02, paid="each year", years=5)
    there = plan(cottage.with_(costs=cottage.costs.with_(incentives=[made])))
    option = there.option(there.choice.key)
    row = cash_flow_of(there, option).rows["incentives"]
    new = [
        run for unit in option.design.pv_converters for run in unit.stringing.runs if run.face.plan.fate == "new"
    ]
    kwh = sum(run.face.kwh_a_module * run.modules for run in new)
    assert row[1] == pytest.approx(0.02 * kwh, rel=1e-6)
    assert row[2] / row[1] == pytest.approx(1.0 - new[0].module.ageing_per_year)
    assert row[5] > 0.0 == row[6]
    assert option.outcome.money.npv == pytest.approx(cash_flow_of(there, option).npv, abs=400.0)


def test_an_hour_without_grid_is_worth_what_makes_it_pay(demo):
    flow = flow_of(demo, outage_hours=12.0)
    rate = flow.discount_rate
    each = sum((1.0 + rate) ** -year for year in range(1, flow.years + 1))
    gained = flow.outage_worth * 12.0 * flow.option.outcome.backup.lasting * each
    assert flow.npv + gained == pytest.approx(0.0, abs=1e-6)
    assert flow_of(demo, outage_hours=24.0).outage_worth == pytest.approx(flow.outage_worth / 2)
    assert flow_of(demo, outage_hours=0.0).outage_worth is None
    assert flow_of(demo_job("hut"), key="hybrid-swap").outage_worth is None


def test_the_same_bought_later(demo):
    """With prices that neither rise nor fall it is worth as much, so many years later; with cheaper packs more."""
    steady = demo.with_(costs=demo.costs.with_(price_rise=0.0))
    flow = flow_of(steady, battery_price_fall=0.0)
    for item in flow.later:
        assert item.npv == pytest.approx(flow.npv / (1.0 + flow.discount_rate) ** item.after)
        assert item.outlay == pytest.approx(-flow.rows["outlay"][0])
    cheaper = flow_of(steady, battery_price_fall=0.1)
    packs = flow.option.design.battery_converter.bank.price
    for item, other in zip(cheaper.later, flow.later, strict=True):
        assert other.outlay - item.outlay == pytest.approx(packs * (1.0 - 0.9**item.after))
        assert item.npv > other.npv
    dearer = flow_of(demo.with_(costs=demo.costs.with_(price_rise=0.05)), battery_price_fall=0.0)
    assert dearer.later[2].npv > dearer.npv / (1.0 + dearer.discount_rate) ** 10


@pytest.mark.parametrize(
    "finance, incentives, said",
    [
        ({"way": "loan", "loan": {"years": 30}}, (), "The loan runs 30 years"),
        ({"way": "lease", "lease": {"years": 30, "per_month": 5.0}}, (), "Rent is paid for 30 years"),
        ({"way": "lease"}, (), "No rent is stated"),
        ({}, (Incentive(name="Much", per="kWh", amount=5000.0, paid="each year", years=9),), "more than it costs"),
        ({"feed_in_years": 20}, (), "ends after the 15 years"),
        ({}, (), ""),
    ],
)
def test_what_cannot_be_meant_is_told(demo, finance, incentives, said):
    sentences = beware_of(flow_of(demo.with_(costs=demo.costs.with_(incentives=incentives)), **finance))
    assert (said in " ".join(sentences)) if said else sentences == ()


def test_the_summary_names_what_it_tells(demo, plain):
    names = [name for name, _ in summary_of(plain)]
    assert any("once whatever the size" in name for name in names)
    assert any("must be worth" in name for name in names)
    assert sum("installed in" in name for name in names) == 3


def test_another_tariff_counts_from_its_year_on(demo):
    """Years before it are as they were; from then on they are those of a job on that tariff all along."""
    dear = demo.tariff.with_(name="Dear", price=0.5, feed_in=0.02, standing_per_day=2.0)
    finance = {"switch": {"after": 4, "tariff": dear.model_dump()}}
    today, then, both = flow_of(demo), flow_of(demo.with_(tariff=dear)), flow_of(demo, **finance)
    for kind in ("energy", "export"):
        assert both.rows[kind][:5] == pytest.approx(today.rows[kind][:5])
        assert both.rows[kind][5:] == pytest.approx(then.rows[kind][5:], rel=1e-6)
    money = both.option.outcome.money
    assert money.bill == pytest.approx(today.option.outcome.money.bill)
    assert money.saving == pytest.approx(today.option.outcome.money.saving)
    assert money.npv == pytest.approx(both.npv, abs=150.0)
    assert money.npv > today.option.outcome.money.npv
    metered = dear.with_(tiers=[{"above_kwh": 100.0, "surcharge": 0.1}])
    tiered = flow_of(demo, switch={"after": 4, "tariff": metered.model_dump()})
    assert tiered.rows["energy"][5] > both.rows["energy"][5]
    late = flow_of(demo, switch={"after": 20, "tariff": dear.with_(currency="€").model_dump()})
    assert late.net == pytest.approx(today.net)
    said = " ".join(beware_of(late))
    assert "comes after the 15 years" in said and "is in €" in said


def test_off_grid_no_tariff_comes(demo):
    hut = demo_job("hut")
    switch = {"after": 2, "tariff": demo.tariff.model_dump()}
    assert flow_of(hut, "hybrid-swap", switch=switch).net == pytest.approx(flow_of(hut, "hybrid-swap").net)


def test_a_kwh_through_the_battery_pays_for_no_modules():
    made = plan(demo_job("cottage"))
    job, costs = made.job, made.job.costs
    addon, micro = made.option("ac-addon"), made.option("micro-ac")
    part = storage_outlay(addon.design, job)
    # Whatever the modules hang on, the battery beside them is the same.
    assert part == pytest.approx(storage_outlay(micro.design, job))
    strings = [unit.inverter for unit in addon.design.new_converters if not unit.has_battery]
    hung = sum(item.price + item.install_hours * costs.labour_per_hour for item in strings)
    modules = sum(line.amount for line in addon.outcome.money.lines if line.kind == "modules")
    others = sum(
        line.amount for line in addon.outcome.money.lines if line.kind in {"strings", "fuses", "shutdown"}
    )
    given = sum(line.amount for line in addon.outcome.money.lines if line.label in _for_arrays(job))
    arrays = (modules + others + hung + costs.scaffold) * (1.0 + costs.margin) + given
    assert part == pytest.approx(addon.outcome.money.outlay - arrays)
    flow = cash_flow_of(made, addon)
    assert flow.backup_cost == pytest.approx(part / addon.outcome.backup.power_kw)
    # Dearer modules leave what a kWh out of the battery costs as it is.
    dear = plan(job.with_(costs=costs.with_(module_labour=costs.module_labour + 100.0)))
    assert dear.option("ac-addon").outcome.money.outlay > addon.outcome.money.outlay
    assert cash_flow_of(dear, dear.option("ac-addon")).storage_cost == pytest.approx(flow.storage_cost)


def _for_arrays(job):
    return {incentive.name for incentive in job.costs.incentives if incentive.pays_for == "array"}


def test_where_no_modules_are_laid_all_is_the_batterys(demo_plan):
    for key in ("ac-addon", "hybrid-swap", "two-units"):
        option = demo_plan.option(key)
        assert storage_outlay(option.design, demo_plan.job) == pytest.approx(option.outcome.money.outlay)
