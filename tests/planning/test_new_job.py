"""A job begun from a place: what is usual there is set, marked as assumed, and gone once somebody says otherwise."""

from dataclasses import replace

import pytest
from pydantic import ValidationError

from calm_relay.exchange.places import _places, find_places
from calm_relay.exchange.shipped import library
from calm_relay.job.assumed import less_what_was_said, value_at
from calm_relay.job.carried import with_copies
from calm_relay.job.demand import MeteredDemand
from calm_relay.job.existing_supply import Generator
from calm_relay.job.model import Purpose
from calm_relay.job.survey import ExistingBattery, ExistingInverter
from calm_relay.job.tariff import Costs
from calm_relay.planning.book.change import Change, changed
from calm_relay.planning.common.amounts import price_text, worth_text
from calm_relay.planning.common.wanted import HOLD_WHILE_WANTED
from calm_relay.planning.findings import Severity
from calm_relay.planning.site.first_battery import asks_for_another, with_first_battery
from calm_relay.planning.site.grid_code import curve_of
from calm_relay.planning.site.new_job import ASSUMED, begun_job, new_job, placed, usual_in, with_array
from calm_relay.planning.site.seasons import seasons_at
from calm_relay.planning.site.usual_purposes import weighed_without_grid
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.seasons import typical_days
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import plan


def begun(town, modules=12, yearly_kwh=4000.0):
    place = find_places(town)[0]
    where = place.label, place.country, place.latitude, place.longitude, place.time_zone
    return new_job("A job", *where, yearly_kwh, library(), modules)


# Services of homes and their money: common practice, no source.
USUAL = {
    "tralee": ("single", 230.0, "€", "ireland", "dublin-ie"),
    "hamburg": ("three", 230.0, "€", "germany", "hamburg-de"),
    "denver": ("split", 240.0, "$", "united-states", "denver-us"),
    "nelson, new zealand": ("single", 230.0, "NZ$", "new-zealand", "wellington-nz"),
    "cape town": ("single", 230.0, "R", "south-africa", "cape-town-za"),
    "kampala": ("single", 240.0, "USh", "generic", "kampala-ug"),
    "oslo": ("three", 230.0, "kr", "generic", "oslo-no"),
}


# Where a unit of money is far from a euro or a dollar.
FOREIGN = {"cape town", "kampala", "oslo"}


@pytest.mark.parametrize("town", USUAL)
@pytest.mark.parametrize("modules", [0, 12])
def test_a_place_sets_what_is_usual_there_and_a_plan_forms(town, modules):
    job = begun(town, modules)
    usual = job.supply.phases, job.supply.volts, job.tariff.currency, job.region, job.site.weather.climate
    assert usual == USUAL[town]
    assert job.assumed == (*ASSUMED[:8], *(("costs.shipped_prices",) if town in FOREIGN else ()), *ASSUMED[8:])
    assert len(job.faces) == (1 if modules else 0)
    for face in job.faces:
        assert face.azimuth == (180.0 if job.site.latitude > 0 else 0.0)
    made = plan(job)
    assert len(made.live) >= 3
    note = next(item for item in made.option("as-is").findings if item.check == "assumed")
    assert made.rules.words("main fuse") in note.sentence and note.severity is Severity.CHECK
    assert all("." not in name for name in note.sentence.split(": ")[1].rstrip(".").split(", "))
    assert note.mends[0].apply(job).assumed == ()


# Frequency and sizes of wire in homes: common practice, no source.
@pytest.mark.parametrize(
    ("town", "hertz", "gauges", "stated"),
    [
        ("hamburg", 50, False, None),
        ("denver", 60, True, None),
        ("toronto", 60, True, None),
        ("manila", 60, True, "nec"),
        ("bogota", 60, True, "nec"),
        ("kampala", 50, False, None),
    ],
)
def test_a_place_sets_frequency_and_sizes_of_wire(town, hertz, gauges, stated):
    job = begun(town)
    assert job.supply.hertz == hertz
    assert job.wiring.tables == stated and ("wiring.tables" in job.assumed) == (stated is not None)
    assert curve_of(job).nominal_hz == hertz
    tables = library().wires_for(job)
    assert tables.in_gauges == gauges
    assert tables.in_feet == (town == "denver")
    made = plan(job)
    option = next(option for option in made.live if option.role != "today")
    cables = wiring_of(option.design, option.context).cables
    assert all(("AWG" in cable.words or "kcmil" in cable.words) == gauges for cable in cables if cable.size)


def test_a_frequency_stated_goes_before_the_regions(demo):
    assert curve_of(demo).nominal_hz == 50.0
    assert curve_of(demo.with_(supply=demo.supply.with_(hertz=60))).nominal_hz == 60.0
    american = demo.with_(region="united-states")
    assert curve_of(american).nominal_hz == 60.0
    assert curve_of(american.with_(supply=demo.supply.with_(hertz=50))).nominal_hz == 50.0


def test_what_is_said_is_no_longer_assumed():
    job = begun("tralee")
    assert value_at(job, "supply.main_fuse_a") == 63.0
    fused = less_what_was_said(job, job.with_(supply=job.supply.with_(main_fuse_a=80.0)))
    assert set(job.assumed) - set(fused.assumed) == {"supply.main_fuse_a"}
    said = less_what_was_said(fused, fused.with_(supply=fused.supply.with_(volts=240.0)))
    assert set(job.assumed) - set(said.assumed) == {"supply.main_fuse_a", "supply.volts"}
    assert less_what_was_said(job, job.with_(notes="seen")).assumed == job.assumed


# Split phase of 60 Hz whose legs give less than 120 V, and states that pay for nearly all of a home's kWh.
LOWER_LEGS = {"BR", "AW", "SX", "SR", "TT"}
NEARLY_FREE = {"IR", "LY"}


def test_every_country_has_a_service_its_rules_and_its_climate():
    known = library()
    for country in known.countries.values():
        assert country.region in known.rule_packs, country.name
        if country.phases == "split" and country.hertz == 60:
            assert (country.volts < 240.0) == (country.code in LOWER_LEGS), country.name
        # A household's kWh costs between a cent and 0.8 of a euro or dollar, a tenth of a cent where a state pays for
        # nearly all of it: common practice, no source.
        least = 0.001 if country.code in NEARLY_FREE else 0.01
        assert least < country.price / country.money < 0.8 and country.feed_in <= country.price * 2.0, country.name


def test_the_country_of_every_town_is_in_the_list():
    known = set(library().countries)
    assert {row.split("\t")[1] for row in _places()[0]} <= known
    # One that is not is said, and nothing of it is guessed in silence.
    job = new_job("A job", "Landing, Atlantis", "Atlantis", 31.0, -30.0, "Atlantic/Azores", 4000.0, library())
    assert {"region", "tariff.currency"} <= set(job.assumed)
    assert usual_in("Atlantis", 31.0, -30.0, "Atlantic/Azores", library()).startswith(
        "Its country is not in the list."
    )


# Services of homes and their frequency: IEC's table of world plugs and voltages, from memory.
@pytest.mark.parametrize(
    ("country", "phases", "volts", "hertz"),
    [
        ("Lebanon", "single", 220.0, 50),
        ("Jamaica", "split", 220.0, 50),
        ("Dominican Republic", "split", 240.0, 60),
        ("Trinidad and Tobago", "split", 230.0, 60),
        ("Antigua and Barbuda", "single", 230.0, 60),
        ("Mozambique", "single", 220.0, 50),
        ("Guam", "split", 240.0, 60),
    ],
)
def test_a_grid_is_as_the_country_s(country, phases, volts, hertz):
    usual = library().countries[country]
    assert (usual.phases, usual.volts, usual.hertz) == (phases, volts, hertz)


def test_a_price_is_told_as_it_was_typed():
    assert [price_text(price) for price in (0.18, 0.1834, 0.005, 32.0, 2600.0)] == [
        "0.18", "0.1834", "0.005", "32.00", "2,600.00",
    ]  # fmt: skip
    assert [worth_text(price) for price in (0.183, 0.0456, 0.0045, 0.0)] == ["0.18", "0.046", "0.0045", "0.00"]
    assert "KD 0.005 a kWh" in usual_in("Kuwait", 29.4, 48.0, "Asia/Kuwait", library())


@pytest.mark.parametrize(("town", "hours"), [("tralee", 6.0), ("lagos", 5000.0), ("beirut", 6000.0)])
def test_how_long_the_grid_is_away_is_as_usual_there_and_told_where_it_is_much(town, hours):
    job = begun(town, 12, 4200.0)
    assert job.finance.outage_hours == hours and "finance.outage_hours" in job.assumed
    told = [item for item in plan(job).live[0].findings if item.check == "grid often away"]
    assert [item.measured for item in told] == ([] if hours < 438 else [pytest.approx(hours / 87.6)])
    # What somebody states moves to no other country.
    stated = job.with_(finance=job.finance.with_(outage_hours=30.0), assumed=("supply.volts",))
    town_there = ("Lome", "Togo", 6.13, 1.22, "Africa/Lome")
    assert placed(stated, *town_there, library()).finance.outage_hours == 30.0
    assert placed(job, *town_there, library()).finance.outage_hours == library().countries["Togo"].hours_off


def test_a_mark_names_a_field_of_a_job():
    job = begun("tralee")
    with pytest.raises(ValidationError, match="names no field of a job"):
        job.with_(assumed=("supply.colour",))


def test_a_first_battery_holds_what_a_night_asks_and_no_more_than_it_must():
    """A kWh of a big pack is cheaper; a small house would carry it unused."""
    for kwh in (2500.0, 3800.0, 6000.0, 12_000.0):
        job = begun("tralee", 12, kwh)
        bank = plan(job).bank
        night = kwh / 365.0 * 0.5
        assert 0.7 * night < bank.usable_kwh < 1.6 * night + 2.0
    chosen = begun("tralee", 12, 3800.0)
    typed = chosen.with_(battery=chosen.battery.with_(pack="fern-96"))
    typed = less_what_was_said(chosen, typed)
    more = with_first_battery(typed.with_(demand=typed.demand.with_(yearly_kwh=15_000.0)), library())
    assert (more.battery.pack, more.battery.count) == ("fern-96", 2)


def test_beside_a_battery_that_stays_more_of_its_packs_are_assumed():
    """What an installer is asked first: whether another pack can join those on the wall."""
    job = begun("galway", 14, 7500.0)
    hybrid = ExistingInverter(inverter="umberlow-h5", name="Old")
    old = ExistingBattery(pack="fern-48", wired_to="Old", age_years=3, health=0.9)
    found = job.with_(existing_inverters=(hybrid,), existing_batteries=(old,))
    assert asks_for_another(job, found) and not asks_for_another(found, found.with_(name="Another"))
    chosen = with_first_battery(found, library())
    # 7,500 kWh a year: three quarters of half a mean day are 7.7 kWh; 3.9 kWh of it are on the wall.
    assert (chosen.battery.pack, chosen.battery.count) == ("fern-48", 1)
    made = plan(chosen)
    assert any(
        option.key == "grow-bank" and option.findings for option in made.options if hasattr(option, "design")
    )
    large = with_first_battery(found.with_(demand=found.demand.with_(yearly_kwh=16_000.0)), library())
    assert (large.battery.pack, large.battery.count) == ("fern-48", 3)
    # One that goes, that fresh packs would age beside, or that hangs on a plug leaves the choice free.
    others = (
        old.with_(fate="remove"),
        ExistingBattery(pack="mire-96", inverter="mossgate-3"),
        ExistingBattery(pack="wrenbox-19", inverter="wrenbox-battery"),
    )
    for other in others:
        free = with_first_battery(found.with_(existing_batteries=(other,)), library())
        assert free.battery.pack == job.battery.pack and free.battery.count == job.battery.count
    said = found.with_(assumed=tuple(path for path in found.assumed if path != "battery.pack"))
    assert with_first_battery(said, library()).battery.pack == job.battery.pack


def test_example_prices_are_in_the_country_s_money():
    """A system is not twenty times cheaper where a unit of money is worth a twentieth."""
    here, there = (plan(begun(town, 12)) for town in ("tralee", "cape town"))
    assert there.job.costs.shipped_prices == 20.0
    assert there.job.costs.labour_per_hour == 20.0 * here.job.costs.labour_per_hour
    outlays = [made.option("hybrid-swap").outcome.money.outlay for made in (here, there)]
    assert outlays[1] == pytest.approx(20.0 * outlays[0], rel=0.2)
    assert "what the example prices come to" in next(
        item.sentence for item in there.option("as-is").findings if item.check == "assumed"
    )
    # A second place before anything was typed sets it anew; a firm's own list and its own items stay as they are.
    back = placed(there.job, "Tralee", "Ireland", 52.3, -9.7, "Europe/Dublin", library())
    assert back.costs == Costs()
    firm = replace(library(), costs=Costs(labour_per_hour=700.0))
    own = placed(begun_job("A job", firm), "Cape Town", "South Africa", -33.9, 18.4, "Africa/Johannesburg", firm)
    assert own.costs == firm.costs.with_(shipped_prices=20.0)
    said = replace(library(), costs=Costs(labour_per_hour=700.0, shipped_prices=18.0))
    own = placed(begun_job("A job", said), "Cape Town", "South Africa", -33.9, 18.4, "Africa/Johannesburg", said)
    assert own.costs == said.costs and "costs.shipped_prices" not in own.assumed


def test_prices_in_other_money_are_turned_once():
    job = begun("cape town", 12)
    known = library()
    pack = known.in_money_of(job).packs[0]
    assert pack.price == 20.0 * known.catalogue.packs[0].price
    carried = with_copies(job, known.in_money_of(job))
    assert known.equipment_for(carried).packs == known.equipment_for(job).packs
    assert not [item for item in plan(carried).option("as-is").findings if item.check == "own copy"]
    firms = replace(known, stock={("packs", pack.key): "in stock"})
    assert firms.in_money_of(job).packs[0] == known.catalogue.packs[0]


def test_a_list_taken_into_a_job_leaves_it_what_its_own_money_is_worth():
    job = begun("cape town", 12)
    job = job.with_(costs=job.costs.with_(cable_metres=30.0))
    taken = changed(job, Change(costs=Costs(labour_per_hour=700.0)), library()).costs
    assert (taken.labour_per_hour, taken.shipped_prices, taken.cable_metres) == (700.0, 20.0, 30.0)


def test_a_kwh_may_cost_thousands():
    job = begun("honiara")
    tariff = job.tariff.with_(price=2600.0, feed_in=700.0, currency="₫")
    assert job.with_(tariff=tariff).tariff.price == 2600.0
    with pytest.raises(ValidationError, match="price"):
        job.tariff.with_(price=1e6)


def test_a_house_off_grid_begins_with_a_battery_for_two_days_and_for_one_beside_a_generator():
    known = library()
    on_grid = new_job("Off", "Perth", "Australia", -31.95, 115.86, "Australia/Perth", 3500.0, known, 14)
    alone = on_grid.with_(supply=on_grid.supply.with_(on_grid=False))
    helped = alone.with_(generators=(Generator(kw=5.0),))
    assert asks_for_another(on_grid, alone) and asks_for_another(alone, helped)
    assert not asks_for_another(alone, alone.with_(name="Another"))
    assert not asks_for_another(on_grid, on_grid.with_(generators=(Generator(kw=5.0),)))
    held = []
    for job in (on_grid, helped, alone):
        battery = with_first_battery(job, known).battery
        pack = next(item for item in known.on_shelf.packs if item.key == battery.pack)
        held.append(battery.count * pack.usable_kwh)
    day = 3500.0 / 365.0
    assert 0.3 * day < held[0] < day <= held[1] < 2.0 * day <= held[2] < 3.0 * day
    # What somebody said of the battery stays as it is.
    said = alone.with_(assumed=())
    assert with_first_battery(said, known) == said


def test_a_service_of_three_phases_begins_with_a_battery_for_units_of_three():
    known = library()
    single = new_job("Home", "Perth", "Australia", -31.95, 115.86, "Australia/Perth", 6000.0, known, 16)
    three = single.with_(supply=single.supply.with_(phases="three"))
    assert asks_for_another(single, three)
    design = plan(with_first_battery(three, known)).option("ac-addon").design
    assert design.leader.inverter.phases == "three"


@pytest.mark.parametrize("on_grid", [True, False])
def test_from_one_phase_to_all_three_is_one_step(on_grid):
    known = library()
    job = new_job("Home", "Perth", "Australia", -31.95, 115.86, "Australia/Perth", 6000.0, known, 16)
    job = job.with_(
        supply=job.supply.with_(phases="three", on_grid=on_grid),
        purposes=(Purpose(kind="ride_through_outage", weight=3.0),),
        battery=job.battery.with_(pack="fern-96", count=1, battery_inverter="mossgate-5"),
    )
    key = "ac-addon" if on_grid else "micro-ac"

    def asks(job, check):
        found = [item for item in plan(job).option(key).findings if item.check == check]
        return [item for item in found if item.severity is not Severity.OK]

    (note,) = asks(job, "one phase")
    assert note.measured == 1.0 and "only phase 1 is on, 34%" in note.sentence
    (mend,) = [mend for mend in note.mends if mend.label == "3 units, 1 on each phase"]
    mended = mend.apply(job)
    assert not asks(mended, "one phase")
    assert plan(mended).option(key).outcome.backup.served == 1.0
    if not on_grid:
        # More packs are no mend for what hangs on phases without supply.
        (unmet,) = asks(job, "unmet")
        assert [item.label for item in unmet.mends] == [mend.label]
        assert unmet.measured > 60.0 and not asks(mended, "unmet")


def test_off_grid_a_house_without_supply_is_no_choice():
    job = new_job("Off", "Perth", "Australia", -31.95, 115.86, "Australia/Perth", 3500.0, library(), 14)
    made = plan(job.with_(supply=job.supply.with_(on_grid=False)))
    (note,) = (item for item in made.as_is.findings if item.check == "forming power")
    assert note.severity is Severity.STOP and "without supply all year" in note.sentence
    assert made.choice.key not in (None, "as-is")
    assert f"{made.option(made.choice.key).title} costs about A$ " in made.choice.sentence


def test_nothing_is_said_of_a_generator_where_there_is_none():
    job = new_job("Off", "Perth", "Australia", -31.95, 115.86, "Australia/Perth", 3500.0, library(), 14)
    made = plan(with_first_battery(job.with_(supply=job.supply.with_(on_grid=False)), library()))
    for option in made.live:
        said = " ".join(reason.sentence for reason in made.choice.reasons[option.key])
        assert "generator" not in said
        back = " ".join(item.sentence for item in option.findings if item.check == "black start")
        assert ("nothing brings it back" in said) == ("sun alone does not bring" in back)


def test_example_prices_keep_within_what_a_figure_may_be():
    """A job may say that one example unit is a million: no price of it is one that a job could not hold."""
    job = begun("tralee")
    dear = job.with_(costs=job.costs.with_(shipped_prices=1e6))
    known = library().in_money_of(dear)
    assert max(item.price for item in (*known.inverters, *known.packs)) < 1e9
    # Copies are validated as they come into the job.
    assert with_copies(dear, known).own_equipment.packs[0].price == known.packs[0].price
    assert Costs(once_per_job=5e4).in_money(1e6).once_per_job < 1e9


@pytest.mark.parametrize(
    ("town", "least", "most", "worst"),
    [
        (("Oslo", "Norway", 59.9, 10.75, "Europe/Oslo"), 1.25, 1.25, "winter"),
        (("Leeds", "United Kingdom", 53.8, -1.55, "Europe/London"), 1.1, 1.2, "winter"),
        (("Singapore", "Singapore", 1.3, 103.8, "Asia/Singapore"), 0.9, 1.1, None),
        (("Perth", "Australia", -31.95, 115.86, "Australia/Perth"), 0.9, 1.1, None),
        (("Dubai", "United Arab Emirates", 25.2, 55.3, "Asia/Dubai"), 0.7, 0.8, "summer"),
    ],
)
def test_winter_and_summer_share_the_use_as_the_air_has_it(town, least, most, worst):
    """A home in the tropics has no winter evening of a German one; where summers are cooled they ask most."""
    job = new_job("Seasons", *town, 5000.0, library(), 12)
    assert least <= job.demand.winter_factor <= most and "demand.winter_factor" in job.assumed
    made = plan(job)
    assert made.demand.yearly_kwh == pytest.approx(5000.0)
    assert worst in (None, made.demand.worst_season)
    (note,) = (item for item in made.as_is.findings if item.check == "assumed")
    assert "how winter and summer share the home's use" in note.sentence


def test_a_typed_share_or_a_meter_ends_what_was_assumed_of_the_seasons():
    job = new_job("Seasons", "Oslo", "Norway", 59.9, 10.75, "Europe/Oslo", 5000.0, library(), 12)
    typed = less_what_was_said(job, job.with_(demand=job.demand.with_(winter_factor=1.4)))
    metered = less_what_was_said(job, job.with_(demand=MeteredDemand(path="meter.csv")))
    more = less_what_was_said(job, job.with_(demand=job.demand.with_(yearly_kwh=6000.0)))
    assert "demand.winter_factor" not in (*typed.assumed, *metered.assumed)
    assert "demand.winter_factor" in more.assumed
    with pytest.raises(ValidationError, match="names no field of a job"):
        job.with_(assumed=("demand.summer_factor",))
    # Somebody's own share stays where the place is found later.
    placed_later = placed(typed, "Dubai", "United Arab Emirates", 25.2, 55.3, "Asia/Dubai", library())
    assert placed_later.demand.winter_factor == 1.4


def test_seasons_are_those_of_the_place():
    assert seasons_at(48.0)["winter"] == (12, 1, 2) == seasons_at(-37.0)["summer"]
    assert seasons_at(-37.0)["spring"] == (9, 10, 11) == seasons_at(48.0)["autumn"]
    for latitude in (-80.0, -23.0, 0.0, 6.5, 23.0, 60.0):
        found = seasons_at(latitude)
        assert sorted(month for months in found.values() for month in months) == list(range(1, 13))
        assert ("winter" in found) == (abs(latitude) > 23.4)
    made = plan(new_job("Tropics", "Lagos", "Nigeria", 6.45, 3.39, "Africa/Lagos", 5000.0, library(), 12))
    assert made.demand.worst_season in seasons_at(6.45)
    told = [reason.sentence for found in made.choice.reasons.values() for reason in found]
    told += [finding.sentence for option in made.live for finding in option.findings]
    assert any(made.demand.worst_season in text for text in told)
    assert not [text for text in told if "winter" in text.replace("how winter and summer share", "")]
    assert list(typical_days(made)) == list(seasons_at(6.45))


def test_a_first_face_is_as_steep_as_roofs_are_there():
    def tilt(town):
        return begun(town).faces[0].tilt

    assert (tilt("oslo"), tilt("tralee"), tilt("singapore")) == (30.0, 30.0, 10.0)
    later = begun_job("Later", library())
    early = with_array(later, 8, library())
    assert early.faces[0].tilt == 10.0, "on the equator, where a begun job stands"
    oslo = ("Oslo", "Norway", 59.9, 10.75, "Europe/Oslo")
    assert placed(early, *oslo, library()).faces[0].tilt == 30.0
    said = early.with_(faces=(early.faces[0].with_(tilt=17.0),))
    assert placed(said, *oslo, library()).faces[0].tilt == 17.0


def test_finding_the_place_says_nothing_of_what_the_home_uses():
    job = begun_job("Begun", library())
    there = placed(job, "Dubai", "United Arab Emirates", 25.2, 55.3, "Asia/Dubai", library())
    found = less_what_was_said(job, there.with_(wanted=job.wanted))
    assert there.demand.winter_factor != job.demand.winter_factor
    assert "demand" in found.wanted and "place" not in found.wanted
    # What a household usually uses there stands in; a place that is found later changes no answer.
    assert found.demand.yearly_kwh == library().countries["United Arab Emirates"].home_kwh != job.demand.yearly_kwh
    said = less_what_was_said(found, found.with_(demand=found.demand.with_(yearly_kwh=4200.0)))
    assert "demand" not in said.wanted
    moved = placed(said, "Oslo", "Norway", 59.9, 10.75, "Europe/Oslo", library())
    assert moved.demand.yearly_kwh == 4200.0


def test_what_another_place_brings_is_assumed_again():
    begun = begun_job("Begun", library())
    first = less_what_was_said(
        begun, placed(begun, "Ptuj, Slovenia", "Slovenia", 46.42, 15.87, "Europe/Ljubljana", library())
    )
    second = less_what_was_said(
        first, placed(first, "Tralee, Ireland", "Ireland", 52.27, -9.7, "Europe/Dublin", library())
    )
    assert first.tariff.price != second.tariff.price
    for job in (begun, first, second):
        assert set(ASSUMED) <= set(job.assumed)


def test_the_line_of_a_begun_job_marks_what_the_margin_says_and_shows_the_battery_that_hangs_there():
    hybrid = ExistingInverter(inverter="umberlow-h5")
    job = begun("galway").with_(
        existing_inverters=(hybrid,), existing_batteries=(ExistingBattery(pack="fern-48", wired_to=hybrid.name),)
    )
    for wanted in (("array",), ("demand", "array"), ("place", "demand", "array")):
        made = plan(job.with_(wanted=wanted))
        option = next(option for option in made.options if option.role == "today")
        line = line_of(made, option)
        heard = [finding for finding in option.findings if finding.check in HOLD_WHILE_WANTED]
        assert sum(station.findings for station in line.stations) == len(heard) > 0
        assert {station.name for station in line.stations if station.findings} == {f.station for f in heard}
        assert line.station("Battery").headline == "4.3 kWh usable"
        assert not any(station.headroom for station in line.stations)


def lights(job):
    return job.weight("ride_through_outage")


def test_what_a_battery_is_for_is_weighed_as_is_usual_where_it_stands():
    """What a battery is bought for by how the grid fails: common practice, no source."""
    firm, weak = begun("hamburg"), begun("kampala")
    assert [purpose.weight for purpose in firm.purposes] == [5.0, 3.0, 1.0, 2.0]
    assert lights(weak) > lights(firm) and "purposes" in weak.assumed
    # Where supply is shed in turns an outage is of hours; a storm's is longer.
    assert (firm.outage_hours, weak.outage_hours) == (12.0, 4.0) and "outage_hours" in weak.assumed
    said = firm.with_(purposes=weak.purposes, assumed=tuple(path for path in firm.assumed if path != "purposes"))
    place = find_places("tralee")[0]
    where = place.label, place.country, place.latitude, place.longitude, place.time_zone
    assert placed(said, *where, library()).purposes == weak.purposes
    stated = less_what_was_said(weak, weak.with_(outage_hours=6.0))
    assert "outage_hours" not in stated.assumed
    assert placed(stated, *where, library()).outage_hours == 6.0


def test_without_a_grid_what_is_not_served_weighs_most_while_nobody_says_otherwise():
    firm = begun("hamburg")
    alone = firm.with_(supply=firm.supply.with_(on_grid=False))
    weighed = weighed_without_grid(firm, alone)
    assert lights(weighed) == max(purpose.weight for purpose in weighed.purposes)
    assert weighed_without_grid(weighed, firm.with_(purposes=weighed.purposes)).purposes == firm.purposes
    said = tuple(path for path in firm.assumed if path != "purposes")
    assert weighed_without_grid(firm.with_(assumed=said), alone.with_(assumed=said)).purposes == firm.purposes


@pytest.mark.parametrize("town", ["leipzig", "galway", "bratislava", "ljubljana"])
def test_a_house_on_a_firm_grid_is_not_told_to_buy_a_second_unit_that_loses_money(town):
    """One hybrid with modules on its inputs is what such a house gets: common practice, no source."""
    made = plan(begun(town, modules=10, yearly_kwh=3500.0))
    assert made.choice.key == "hybrid-swap"
    second = made.option("two-units")
    assert second.outcome.money.npv < made.option("hybrid-swap").outcome.money.npv


def test_where_a_neutral_is_often_missing_one_that_nobody_saw_is_asked_about():
    """Common practice, no source: in Norway and in parts of Belgium homes have three phases of 230 V between lines."""

    def asked(job):
        return [item for item in plan(job).option("as-is").findings if item.check == "neutral"]

    job = begun("oslo")
    (note,) = asked(job)
    assert "in Norway" in note.sentence and "400 V between phases" in note.sentence
    seen, bare = (mend.apply(job) for mend in note.mends)
    assert seen.supply == job.supply and asked(seen) == []
    assert bare.supply.phases == "three-wire" and bare.supply.volts == 230.0 and asked(bare) == []
    assert {"supply.phases", "supply.volts"} <= set(job.assumed) and not {"supply.phases", "supply.volts"} & set(
        bare.assumed
    )
    # Where one phase is usual it is asked once somebody says three.
    ghent = begun("gent, belgium")
    assert asked(ghent) == []
    assert asked(ghent.with_(supply=ghent.supply.with_(phases="three")))
    assert asked(begun("hamburg")) == []


def test_what_a_unit_gives_in_an_outage_passes_to_the_house_on_a_small_service():
    """Common practice, no source: many homes in Italy contract 3 kW, on 16 A; a unit of 5 kW gives more than that."""
    made = plan(begun("milano", 14, 4200.0))
    option = made.option("hybrid-swap")
    lead = option.design.leader.inverter
    assert made.job.supply.main_fuse_a < lead.max_ac_a
    wiring = wiring_of(option.design, option.context)
    feeders = {(cable.edge.start, cable.edge.end): cable for cable in wiring.cables if cable.edge.kind == "feeder"}
    (into,) = (cable for (_, end), cable in feeders.items() if end == "changeover")
    (out,) = (cable for (start, _), cable in feeders.items() if start == "changeover")
    assert into.edge.amps == made.job.supply.main_fuse_a and out.edge.amps == lead.max_ac_a
    assert out.device is None or out.device.amps >= lead.max_ac_a
    told = next(item.sentence for item in option.findings if item.check == "selectivity")
    assert f"{into.device.amps:g} A ahead of" in told
