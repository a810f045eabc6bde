"""What goes with a plan that was chosen: all of it follows the option, and nothing contradicts the plan."""

import json
import re
from dataclasses import replace

import pytest

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.control import Control, ExportWindow, GridCharge, Window
from calm_relay.job.existing_supply import Generator
from calm_relay.job.quantity import parse_quantity
from calm_relay.planning.architecture.connections import units_moved
from calm_relay.planning.commissioning.protocol import setting_key
from calm_relay.planning.common.amounts import about_years
from calm_relay.planning.handover.application import application_of, application_rows
from calm_relay.planning.handover.materials import GROUPS, labels_of, material_rows, materials_of, mounting_of
from calm_relay.planning.handover.offer import DAYS, _season, _without_price, offer_of, scope_of
from calm_relay.planning.handover.settings_sheet import setting_rows, settings_of
from calm_relay.planning.handover.work_order import steps_of
from calm_relay.planning.operation.backed_up_loads import behind_relay
from calm_relay.planning.plan import plan as plan_on
from calm_relay.planning.wiring.names import name_of
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import of_few_futures, plan

DEMOS = ("pottery", "cottage", "dairy", "hut", "two-homes")


@pytest.fixture(scope="module", params=DEMOS)
def made(request):
    return plan(of_few_futures(demo_job(request.param)))


def option_of(job, key="ac-addon"):
    return plan(job).option(key)


def quantity(option, article, group=None):
    return sum(
        part.quantity
        for part in materials_of(option)
        if article in part.article and (group is None or part.group == group) and part.fate == "to buy"
    )


def value_of(option, name):
    return [item.value for item in settings_of(option) if item.name == name]


def test_every_box_pack_and_module_of_a_design_is_on_its_list(made):
    for option in made.live:
        parts = materials_of(option)
        assert all(part.quantity > 0 and part.group in GROUPS for part in parts)
        design = option.design
        laid = sum(run.modules for unit in design.converters if unit.laid for run in unit.laid.runs)
        listed = sum(
            p.quantity
            for p in parts
            if p.group == "Modules" and p.fate != "taken away" and "optimiser" not in p.article
        )
        under = sum(
            run.modules
            for unit in design.converters
            if unit.laid
            for run in unit.laid.runs
            if run.optimiser is not None and run.face.plan.fate == "new"
        )
        assert listed == laid + under
        for unit in design.new_converters:
            bought = unit.bought_packs
            if bought is not None:
                assert quantity(option, bought.pack.name, "Batteries") >= bought.count * bought.units


def test_metres_of_cable_are_those_of_the_routes_with_waste(demo):
    option = option_of(demo)
    wired = wiring_of(option.design, option.context)
    for article, key, poles in (("Battery cable, flexible, 1 × 35 mm²", "unit 1 > bus of unit 1", 2),):
        cable = wired.cable(key)
        assert quantity(option, article) >= cable.laid.length_m * poles * 1.1 - 1e-9
    longer = demo.with_(
        wiring=demo.wiring.with_route(demo.wiring.route("unit 1 > bus of unit 1").with_(length_m=4.0))
    )
    assert quantity(option_of(longer), "Battery cable") > quantity(option, "Battery cable")


def test_what_protects_the_cables_is_on_the_list(demo):
    option = option_of(demo)
    wired = wiring_of(option.design, option.context)
    for cable in wired.cables:
        if cable.edge.status == "there" or cable.device is None:
            continue
        assert quantity(option, f"{cable.device.amps:g} A", "Protection") >= cable.edge.runs, cable.edge.key


def test_rails_and_clamps_by_hand():
    """Ten modules of 1.14 m in rows of five: two rows, 5.7 m of modules and 0.1 m over each end."""
    found = mounting_of(10, 5, 1.14)
    assert found["rail"] == pytest.approx(2 * 2 * (5 * 1.14 + 0.2))
    assert found["end clamps"] == 8
    assert found["middle clamps"] == 16
    assert found["rail ends"] == 8
    odd = mounting_of(7, 5, 1.0)
    assert odd["rail"] == pytest.approx(2 * (5.2 + 2.2))
    assert odd["middle clamps"] == 10


def test_what_a_rail_stands_on_follows_the_roof():
    """Hooks for tiles, clamps for a standing seam: as many as before, under the name of what is ordered."""
    job = demo_job("cottage")
    face = next(number for number, face in enumerate(job.faces) if face.fate == "new")
    plain = quantity(option_of(job, "hybrid-swap"), "Hooks or feet")
    for covering, words in (("tiles", "Roof hooks for tiles"), ("standing seam", "Clamps for standing seam")):
        covered = option_of(job.with_face(face, covering=covering), "hybrid-swap")
        assert quantity(covered, words) > 0.0
        assert quantity(covered, words) + quantity(covered, "Hooks or feet") == plain


def test_supplier_and_article_number_stand_where_the_library_knows_them(demo):
    shipped = library()
    pack = option_of(demo).design.leader.bank.pack
    own = replace(shipped, orders={("packs", pack.key): ("A-4711", "Invented Wholesale")})
    option = plan_on(demo, own).option("ac-addon")
    (line,) = [part for part in materials_of(option) if part.article == pack.name and part.fate == "to buy"]
    assert (line.number, line.supplier) == ("A-4711", "Invented Wholesale")
    head, *rows = material_rows(option)
    row = next(row for row in rows if row[1] == pack.name and row[4] == "to buy")
    assert row[head.index("supplier")] == "Invented Wholesale" and row[head.index("article number")] == "A-4711"
    assert not any(part.number for part in materials_of(option_of(demo)))


def test_what_is_used_again_and_taken_away_stands_apart(demo):
    fates = {part.fate for part in materials_of(option_of(demo, "hybrid-swap"))}
    assert fates == {"to buy", "used again", "taken away"}
    kept = [part for part in materials_of(option_of(demo)) if part.fate == "used again"]
    assert {"Inverters", "Modules"} <= {part.group for part in kept}
    rows = material_rows(option_of(demo))
    assert all(len(row) == len(rows[0]) for row in rows)


def test_a_change_of_battery_changes_list_settings_application_and_offer_together(demo):
    def all_of(job):
        made = plan(of_few_futures(job))
        option = made.option("ac-addon")
        return (
            material_rows(option),
            setting_rows(option),
            json.dumps(application_of(option)),
            offer_of(made, option).hours,
        )

    before = all_of(demo)
    after = all_of(demo.with_(battery=demo.battery.with_(count=demo.battery.count + 2)))
    assert all(one != other for one, other in zip(before, after, strict=True))


def test_settings_hold_what_the_job_states(demo):
    tariff = demo.tariff.with_(stored_export=True, export_limit_kw=0.0)
    job = demo.with_(
        tariff=tariff,
        battery=demo.battery.with_(
            charge_windows=(GridCharge(start="02:00", end="04:30", target=0.8, limit_kw=2.5),), reserve=0.2
        ),
        control=Control(
            discharge_windows=(Window(start="17:00", end="21:00"),),
            export_windows=(ExportWindow(start="18:00", end="19:00", power_kw=1.5),),
            shave_above_kw=3.0,
            import_bias_w=60.0,
        ),
    )
    option = option_of(job)
    assert value_of(option, "Charge from the grid") == ["02:00 to 04:30, at most 2.5 kW"]
    assert value_of(option, "Charge target, 02:00 to 04:30") == ["80%"]
    assert "20%" in value_of(option, "Lowest charge, grid up")
    assert value_of(option, "Discharge") == ["17:00 to 21:00"]
    assert value_of(option, "Export from the battery") == ["18:00 to 19:00, 1.5 kW, down to 30%"]
    assert value_of(option, "Peak shaving") == ["above 3 kW"]
    assert "60 W" in value_of(option, "Import left standing")
    assert "0 kW, whole site" in value_of(option, "Export limit")
    traps = " ".join(item.trap for item in settings_of(option))
    assert "buys from the grid at full power" in traps
    assert "leaks" in traps


def test_settings_of_an_island_its_generator_and_its_relays():
    hut = demo_job("hut")
    job = hut.with_generator(Generator(kw=4.0, start_below=0.25, stop_above=0.7))
    option = option_of(job, "ac-bus")
    assert value_of(option, "Generator starts") == ["below 25%"]
    assert value_of(option, "Generator stops") == ["above 70%"]
    assert value_of(option, "Frequency in an island")
    cottage = option_of(demo_job("cottage"), "ac-addon")
    relays = [item for item in settings_of(cottage) if item.name.startswith("Relay that sheds")]
    board = cottage.context.job.backup_board
    assert len(relays) == sum(circuit.role == "shed" for circuit in board.circuits)


def test_two_batteries_have_their_order_among_the_settings():
    job = demo_job("two-homes")
    option = option_of(job.with_(battery=job.battery.with_(waits=True)))
    orders = [item for item in settings_of(option) if item.name == "Order of two batteries"]
    assert len(orders) == 1


def test_a_bank_on_a_clock_is_set_by_the_clock(demo):
    assert value_of(option_of(demo, "clock-bank"), "Charge by the clock")


def test_steps_stand_in_a_safe_order(made):
    stages = [
        "Before",
        "Make safe",
        "Take away",
        "Roof",
        "Hang",
        "Pull and connect",
        "Join",
        "Test",
        "Start",
        "Hand over",
    ]
    for option in made.live:
        found = [stages.index(step.stage) for step in steps_of(option)]
        assert found == sorted(found)
    fresh = next(option for option in made.live if option.design.new_converters)
    texts = " ".join(step.text for step in steps_of(fresh))
    assert made.rules.words("Insulation, earth continuity") in texts
    if made.job.supply.on_grid:
        assert "prove dead" in texts


@pytest.mark.parametrize(
    ("demo_name", "key", "up"),
    [
        ("pottery", "ac-addon", False),
        ("pottery", "hybrid-swap", True),
        ("cottage", "hybrid-swap", True),
        ("cottage", "micro-ac", True),
        ("two-homes", "old-packs", True),
    ],
)
def test_a_scaffold_stands_where_somebody_has_to_go_up(demo_name, key, up):
    """A battery beside an array that stays as it hangs asks for none."""
    steps = steps_of(plan(demo_job(demo_name)).option(key))
    assert any(step.text.startswith("Scaffold") for step in steps) == up
    assert up or not any(step.stage == "Roof" for step in steps)


def test_dc_is_never_unplugged_under_load_before_anything_is_taken_away(demo):
    steps = steps_of(option_of(demo, "hybrid-swap"))
    safe = next(n for n, step in enumerate(steps) if "never a DC plug under load" in step.text)
    away = next(n for n, step in enumerate(steps) if step.stage == "Take away")
    assert safe < away
    assert any("volts of each pack" in step.measure for step in steps)
    assert any("same charge" in step.text for step in steps)


def test_the_application_adds_up_as_the_plan_does(made):
    for option in made.live:
        tree = application_of(option)
        assert tree["inverter_kw_counted"] == pytest.approx(option.design.counted_kw(made.job.supply), abs=1e-3)
        total = sum(unit["ac_kw"] for unit in tree["inverters"])
        assert sum(tree["inverter_kw_on_each_phase"]) == pytest.approx(total, abs=0.01)
        assert json.loads(json.dumps(tree)) == tree
        rows = application_rows(option)
        assert all(len(row) == 2 for row in rows)
        assert not any(isinstance(value, dict | list) for _, value in rows)
    assert "who decides" in tree["caution"]


def test_the_offer_says_what_the_plan_says(made):
    key = made.choice.key or made.live[1].key
    option = made.option(key)
    offer = offer_of(made, option)
    assert offer.flow.running[0] == pytest.approx(-option.outcome.money.outlay)
    assert offer.flow.running.size == made.job.costs.horizon_years + 1
    before, after = offer.bills
    if made.job.supply.on_grid:
        assert before.sum() == pytest.approx(made.as_is.outcome.money.bill)
        assert after.sum() == pytest.approx(option.outcome.money.bill)
        assert before.sum() - after.sum() == pytest.approx(option.outcome.money.saving, abs=1e-6)
    names = {row.name for row in (*offer.stays_on, *offer.goes_off)}
    board = made.job.backup_board
    assert names == ({circuit.name for circuit in board.circuits} if board else names)
    assert offer.beside is None or offer.beside.key != key
    light = made.site.weather.ghi
    assert (
        light[offer.winter.day.first : offer.winter.day.last].sum()
        < light[offer.summer.day.first : offer.summer.day.last].sum()
    )
    assert offer.asked


@pytest.mark.parametrize(
    ("demo_name", "key", "brought", "kept"),
    [
        ("pottery", "ac-addon", "a battery that holds 13.0 kWh", "6.0 kWp of modules"),
        (
            "two-homes",
            "old-and-hybrid",
            "7.0 kWp of modules and 9.7 kWh more of battery",
            "10.5 kWp of modules and a battery that holds 6.5 kWh",
        ),
        # Faces that no input is left for stay as they are, out of use.
        ("dairy", "old-packs", "", "6.5 kWp of modules and a battery that holds 5.8 kWh"),
        ("cottage", "hybrid-swap", "14.5 kWp of modules and a battery that holds 14.6 kWh", ""),
    ],
)
def test_an_offer_sells_what_is_new_and_says_what_stays(demo_name, key, brought, kept):
    """Whoever signs must not read that they buy the array on their own roof."""
    option = plan(demo_job(demo_name)).option(key)
    scope = scope_of(option)
    assert (scope.brought, scope.kept) == (brought, kept)
    bought = [part for part in materials_of(option) if part.fate == "to buy"]
    assert any(part.group == "Modules" for part in bought) == bool(scope.new_kwp)
    assert any(part.group == "Batteries" and part.price for part in bought) == bool(scope.new_kwh)


def test_labels_follow_what_is_built(demo):
    new = labels_of(option_of(demo))
    assert any("Battery" in label for label in new)
    assert any("live when the grid is down" in label for label in new)
    bare = labels_of(plan(demo).as_is)
    assert not any("Battery" in label for label in bare)


@pytest.mark.parametrize("name", DEMOS)
def test_a_setting_that_the_job_holds_is_keyed_into_it(name):
    """Each such number is put into the job, and the new job's sheet says it."""
    job = demo_job(name)
    job = job.with_(control=job.control.with_(shave_above_kw=3.0, import_bias_w=60.0))
    if not job.supply.on_grid:
        job = job.with_generator(Generator(kw=4.0, start_below=0.25, stop_above=0.7))
    made = plan(job)
    option = made.option(made.choice.key)
    held = [item for item in settings_of(option) if item.held is not None]
    assert held
    for item in held:
        number = re.search(r"\d+(\.\d+)?", item.value)
        new = float(number[0]) + 1.0 if number else 7.0
        new -= 2.0 if new > 100.0 else 0.0
        changed = item.held.apply(job, new)
        assert changed != job
        there = plan(changed)
        sheet = settings_of(there.option(option.key))
        shown = [row for row in sheet if (row.box, row.name) == (item.box, item.name)]
        assert f"{new:g}" in shown[0].value, item.name


def test_of_units_side_by_side_each_is_keyed_with_its_own_current(demo):
    one, two = (option_of(demo.with_(battery=demo.battery.with_(units=n))) for n in (1, 2))
    name = "Battery current, charging and discharging"
    (alone,), (each,) = value_of(one, name), value_of(two, name)
    assert each == f"{alone}, each unit"
    assert quantity(two, "Residual-current device") == 2 * quantity(one, "Residual-current device")
    windows = value_of(two, "Charge from the grid")
    limit = demo.battery.first_window.limit_kw
    assert f"{limit:g} kW in all, {limit / 2:g} kW each unit" in windows[0]
    assert any("kg each" in step.text for step in steps_of(two))


def test_what_stays_live_ahead_of_the_main_switch_is_told_before_its_cable_is_connected(demo):
    steps = steps_of(option_of(demo))
    told = next(n for n, step in enumerate(steps) if "network operator has isolated" in step.text)
    laid = next(n for n, step in enumerate(steps) if step.text.startswith("Meter to changeover"))
    assert told < laid
    untouched = steps_of(option_of(demo_job("dairy"), "hybrid-swap"))
    assert not any("has isolated the service" in step.text for step in untouched)


def test_off_grid_nothing_is_set_or_asked_of_a_grid():
    option = option_of(demo_job("hut"), "hybrid-swap")
    names = {item.name for item in settings_of(option)}
    assert not names & {"Grid code", "Lowest charge, grid up", "Charge from the grid", "Export limit"}
    assert "Lowest charge" in names
    assert not any("operator" in step.text for step in steps_of(option))
    # Nothing is live before the battery is.
    (closed,) = (step.text for step in steps_of(option) if "AC breakers" in step.text and step.stage == "Start")
    assert closed.index("batteries") < closed.index("forms the grid") < closed.index("AC breakers")


def test_an_offer_off_grid_says_who_serves_each_month():
    made = plan(demo_job("hut"))
    option = made.option("hybrid-swap")
    offer = offer_of(made, option)
    year = option.outcome.island_year
    parts = offer.served.own, offer.served.generator, offer.served.unmet
    assert sum(part.sum() for part in parts) == pytest.approx(year.outage.asked_kw.sum() * year.step_h)
    assert all((part >= -1e-9).all() and part.shape == (12,) for part in parts)
    assert "the generator" in offer.served.sentence and "go unserved, most of it in" in offer.served.sentence
    grid = plan(demo_job("pottery"))
    assert offer_of(grid, grid.option("ac-addon")).served is None


def test_off_grid_an_array_beside_follows_what_forms_the_grid():
    option = option_of(demo_job("hut"), "ac-bus")
    array = next(unit for unit in option.design.converters if not unit.has_battery)
    (code,) = (item for item in settings_of(option) if item.name == "Grid code")
    assert code.box == array.inverter.name and code.value == "for islands, 230 V, 50 Hz"
    assert code.why.startswith(option.design.leader.inverter.name) and "by the frequency" in code.why
    assert any("arrays on the bus stay off" in step.text for step in steps_of(option))
    alone = option_of(demo_job("hut"), "hybrid-swap")
    assert not any("arrays on the bus" in step.text for step in steps_of(alone))


@pytest.mark.parametrize("name", ["cottage", "two-homes", "pottery"])
def test_what_an_outage_takes_beside_the_unit_is_listed_and_built(name):
    """A board with places for the circuits that stay on, which are moved to it; relays of those that are shed."""
    job = demo_job(name)
    option = option_of(job, "hybrid-swap" if name != "two-homes" else "hybrid-beside")
    circuits = [item for item in job.backup_board.circuits if item.role != "grid only"]
    shed = [item.name for item in circuits if item.role == "shed"]
    parts = {part.article: part for part in materials_of(option)}
    words = option.context.rules.words
    assert parts["Changeover"].quantity == 1.0
    places = len(circuits) + len(units_moved(option.design, job))
    board = parts.get(words(f"Backup board, places for {places} circuits"))
    relays = parts.get("Relay that sheds a circuit")
    steps = [step.text for step in steps_of(option)]
    moved = [text for text in steps if text.startswith(words("Move to the backup board"))]
    whole = name == "pottery"
    assert (board is None) == whole == (not moved)
    assert parts["Changeover"].price == (job.costs.whole_changeover if whole else None)
    if not whole:
        assert board.price == job.costs.backup_board
        assert all(item.name in moved[0] for item in circuits)
        assert not any(item.name in moved[0] for item in job.backup_board.circuits if item.role == "grid only")
    assert (relays is None) == (not shed)
    if shed:
        assert relays.quantity == len(shed) and relays.price == job.costs.shed_relay
        assert any("Wire a relay" in text and all(each in text for each in shed) for text in steps)


def test_what_is_bought_by_length_is_bought_by_the_foot_where_the_tables_say_so():
    """A foot is 0.3048 m: so many feet of cable, at the price of so many metres."""
    job = demo_job("cottage")
    job = job.with_(costs=job.costs.with_(cable_per_metre=10.0))
    option = option_of(job, "hybrid-swap")
    wired = wiring_of(option.design, option.context)
    assert wired.tables.in_gauges and wired.tables.in_feet
    assert {item.unit for item in materials_of(option) if item.article == "Rail"} == {"ft"}
    part = next(part for part in materials_of(option) if part.article.startswith("Battery cable"))
    assert part.unit == "ft" and part.price == pytest.approx(3.048)
    cable = next(cable for cable in wired.cables if cable.edge.kind == "battery")
    metres = cable.laid.length_m * cable.edge.runs * cable.laid.parallel * 2 * 1.1
    assert part.quantity == pytest.approx(metres / 0.3048, abs=1.0)
    pulled = [step.text for step in steps_of(option) if step.stage == "Pull and connect"]
    pulled = [text for text in pulled if "AWG" in text]
    assert len(pulled) > 3 and all(" ft" in text for text in pulled)
    assert parse_quantity("26 ft", "m") == pytest.approx(7.9248)


def test_a_roof_of_microinverters_is_built_tested_and_labelled_as_one():
    option = option_of(demo_job("cottage"), "micro-ac")
    units = sum(run.modules for unit in option.design.converters if unit.micro for run in unit.stringing.runs)
    assert units == sum(face.count for face in option.context.job.faces)
    assert quantity(option, "Trunk cable", "Cables") == units
    drawn = [node for node in option.wiring.topology.nodes if node.kind == "branch"]
    assert quantity(option, "End caps") == sum(node.count for node in drawn) >= len(drawn)
    said = [step.text for step in steps_of(option)]
    laid = next(place for place, text in enumerate(said) if text.startswith("Lay "))
    fixed = [place for place, text in enumerate(said) if "serial number lies where" in text]
    tested = [place for place, text in enumerate(said) if text.startswith("Each branch of microinverters")]
    assert fixed and tested and max(fixed) < laid < tested[0]
    assert not any(text.startswith("Each string:") for text in said)
    assert any(text.startswith("Close the main switch, then AC breakers, then batteries") for text in said)
    labels = labels_of(option)
    assert "Solar array on the roof: an inverter lies under each module" in labels
    assert not any("DC cables stay live" in label for label in labels)


def test_the_utility_is_told_both_voltages_of_a_split_phase():
    service = application_of(option_of(demo_job("cottage"), "hybrid-swap"))["service"]
    assert (service["voltage_to_neutral_v"], service["voltage_between_legs_v"]) == (120.0, 240.0)
    of_three = application_of(option_of(demo_job("two-homes"), "ac-addon"))["service"]
    assert of_three["voltage_to_neutral_v"] == 230.0 and "voltage_between_legs_v" not in of_three


@pytest.mark.parametrize(
    ("years", "said"),
    [(0.2, "half a year"), (0.8, "1 year"), (1.46, "1.5 years"), (2.9, "3 years"), (9.4, "9 years")],
)
def test_a_payback_is_said_as_exactly_as_it_is_known(years, said):
    assert about_years(years) == said


def test_what_speaks_against_what_is_offered_too_is_no_reason_against_the_one_beside_it():
    """Both give less in an outage than the worst evening asks, by other figures or by the same."""
    made = plan(of_few_futures(demo_job("two-homes")))
    offer = offer_of(made, made.option("hybrid-beside"))
    theirs = [reason.sentence for reason in made.choice.reasons[offer.beside.key] if not reason.speaks_for]
    weak = [sentence for sentence in theirs if sentence.startswith("In an outage it gives")]
    assert weak and not set(weak) & set(offer.against)
    assert set(offer.against) == set(theirs) - set(weak)
    # Of an option whose output in an outage is enough, the same sentence is a reason.
    strong = replace(made.choice, reasons=made.choice.reasons | {"hybrid-beside": ()})
    told = offer_of(replace(made, choice=strong), made.option("hybrid-beside"))
    assert set(weak) <= set(told.against)
    assert told.winter.title == "A middling day of midwinter, 25 December"


@pytest.mark.parametrize(
    ("reason", "said"),
    [
        (
            "Costs € 9; pays back in 7 years, the pack's warranty ends after 5.",
            "It pays back in 7 years, the pack's",
        ),
        ("Costs € 9; it never pays back.", "It never pays back."),
        ("Costs € 9.", ""),
        ("Once flat; it stays so.", "Once flat; it stays so."),
    ],
)
def test_what_the_one_beside_it_costs_is_said_once(reason, said):
    told = _without_price(reason)
    assert told.startswith(said) and "Costs" not in told and bool(told) == bool(said)


def test_a_single_phase_unit_takes_over_the_circuits_of_its_own_phase_alone():
    """On three phases the others stay with the grid: they are neither moved, nor paid for, nor given a place."""
    option = option_of(demo_job("two-homes"), "old-packs")
    job, stays = (
        option.context.job,
        behind_relay(option.design, option.context.job, plan(demo_job("two-homes")).demand),
    )
    assert option.design.leader.inverter.phases == "single" and job.supply.phases == "three"
    (move,) = (step.text for step in steps_of(option) if step.text.startswith("Move to the backup board"))
    for circuit in job.backup_board.circuits:
        assert (circuit.name in move) == (circuit.name in stays.names), circuit.name
    assert 0 < len(stays.names) < sum(item.role != "grid only" for item in job.backup_board.circuits)
    # The garage inverter hangs on the same phase: what it gives is to come to them.
    count = len(stays.names) + 1
    (paid,) = (line for line in option.outcome.money.lines if line.label.startswith("Moving "))
    assert paid.amount == count * job.costs.backup_circuit
    assert any(part.article.startswith(f"Backup board, places for {count} ") for part in materials_of(option))


def moves_of(option):
    """What the work order says of AC circuits of units that are there, without the words before."""
    begun = "Move the AC circuit of "
    return [step.text.removeprefix(begun) for step in steps_of(option) if step.text.startswith(begun)]


def test_arrays_there_today_move_to_the_board_that_stays_on():
    option = option_of(demo_job("two-homes"), "ac-addon")
    job = option.context.job
    assert moves_of(option) == [
        "Tarnlight 10 three-phase string inverter to the backup board.",
        "Tarnlight 3.0 string inverter to the backup board.",
    ]
    (paid,) = (line for line in option.outcome.money.lines if line.label.startswith("Moving "))
    backed_up = sum(circuit.role != "grid only" for circuit in job.backup_board.circuits)
    assert paid.label == f"Moving {backed_up + 2} circuits to it"
    # A new battery's unit serves the whole house: nothing hangs elsewhere than today.
    assert moves_of(option_of(demo_job("pottery"), "ac-addon")) == []


def test_an_array_that_follows_no_island_moves_ahead_of_a_changeover_of_the_whole_house():
    job = demo_job("pottery")
    unit = option_of(job, "ac-addon").design.leader.inverter
    deaf = unit.with_(key="deaf", name="Deaf", backup=unit.backup.with_(throttles_ac_pv="none"))
    own = job.own_equipment.with_(inverters=(*job.own_equipment.inverters, deaf))
    job = job.with_(own_equipment=own, battery=job.battery.with_(battery_inverter="deaf"))
    option = option_of(job, "ac-addon")
    (move,) = moves_of(option)
    assert move.endswith(" ahead of the changeover.")
    assert "Moving 1 circuit ahead of it" in [line.label for line in option.outcome.money.lines]


def test_units_of_one_kind_are_told_apart_wherever_they_are_to_be_found():
    """A string that the paper puts on “input 1” of either of two inverters may end on the wrong one."""
    option = option_of(demo_job("cottage"), "ac-addon")
    one, other, battery = option.design.converters
    assert one.inverter == other.inverter and one.name != other.name
    assert battery.name == battery.inverter.name
    inputs = [step.text.split(":")[0] for step in steps_of(option) if step.text.startswith("Input ")]
    assert len(set(inputs)) == len(inputs) == 4
    assert f"Input 1 of {other.name}" in inputs
    cables = [name_of(cable.edge, option.wiring.topology) for cable in option.wiring.cables]
    assert len(set(cables)) == len(cables)
    keys = [setting_key(setting) for setting in settings_of(option)]
    assert len(set(keys)) == len(keys)
    # To order they are two of one kind.
    (part,) = (item for item in materials_of(option) if item.article == one.inverter.name)
    assert part.quantity == 2.0


def test_microinverters_there_are_stopped_by_their_breakers_for_they_have_no_menu():
    job = demo_job("cottage")
    there = job.with_(faces=tuple(face.with_(fate="keep", electronics="pennant-300") for face in job.faces))
    steps = [step for step in steps_of(option_of(there, "ac-addon")) if step.stage == "Make safe"]
    stopped = [step for step in steps if "microinverters" in step.text]
    assert [step.text.partition(": ")[0] for step in stopped] == [
        f"Open the breaker of each branch of microinverters on {face.name}" for face in there.faces
    ]
    assert all("never a DC plug under load" in step.text for step in stopped)
    assert not any("by its menu" in step.text for step in steps)


def test_two_inverters_there_of_one_kind_go_by_the_names_of_the_survey():
    job = demo_job("two-homes")
    job = job.with_existing_inverter(0, inverter="tarnlight-3").with_(
        faces=tuple(face for face in job.faces if job.wired_to(face) != "House inverter" or not face.is_there),
    )
    stops = [step.text for step in steps_of(option_of(job, "ac-addon")) if step.text.startswith("Stop Tarnlight")]
    assert [text.split(" by its menu")[0] for text in stops] == [
        "Stop Tarnlight 3.0 string inverter (House inverter)",
        "Stop Tarnlight 3.0 string inverter (Garage inverter)",
    ]


def test_a_bright_may_is_no_high_summer():
    def named(worst, latitude, months):
        return {month for month in months if _season(month, latitude, worst=worst) in DAYS}

    every = range(1, 13)
    assert named(False, 53.8, every) == {6, 7, 8} and named(True, 53.8, every) == {12, 1}
    assert named(False, -41.0, every) == {12, 1, 2} and named(True, -41.0, every) == {6, 7}
    assert named(False, 10.0, every) == named(True, -10.0, every) == set()
    assert _season(5, 53.8, worst=False) == "the brightest month"
