"""What a house uses behind its array, from its bill, against what is known of houses with arrays.

Sources: Weniger, Tjaden, Quaschning 2014, "Sizing of residential PV battery systems", Energy Procedia 46 (from memory:
with 1 kWp for each 1,000 kWh a year and no battery a household in Germany draws about 70 % of its use from the grid);
the energy balance of a house with a production meter (import + production - export), common practice, no source.
"""

import pytest

from calm_relay.exchange.shipped import library
from calm_relay.job.survey import Bill, ExistingInverter
from calm_relay.planning.architecture.standing_array import hung_there
from tests.planning.test_new_job import begun
from tests.plans import plan


@pytest.fixture(scope="module")
def roof_today():
    """A household in Germany, its array of about 1 kWp for each 1,000 kWh on the roof today."""
    job = begun("kassel", 11, 4500.0)
    known = library().equipment_for(job)
    modules = {item.key: item for item in known.modules}
    for inverter in known.inverters:
        unit = ExistingInverter(inverter=inverter.key)
        laid = hung_there(job.with_(existing_inverters=(unit,)), unit, inverter, modules)
        if inverter.battery is None and inverter.ac_kw >= 4.0 and laid is not None:
            return laid
    raise AssertionError("no inverter for an array alone takes so many modules")


def test_a_bill_of_seven_tenths_is_a_household_with_a_kilowatt_for_each_1000_kwh(roof_today):
    demand = roof_today.demand.with_(yearly_kwh=0.7 * 4500.0, counts="net")
    made = plan(roof_today.with_(demand=demand))
    rated = sum(face.rated_kw for face in made.faces)
    assert rated == pytest.approx(4.5, rel=0.15)
    assert made.demand.yearly_kwh == pytest.approx(4500.0, rel=0.12)


def test_the_balance_of_three_meters_is_the_house_s_use(roof_today):
    # 2,900 kWh in, 2,700 out and 4,200 made by the meters: 4,400 kWh were used, whatever a model makes of the roof.
    bill = Bill(first="2025-01-01", last="2025-12-31", kwh=2900.0, sent_kwh=2700.0, made_kwh=4200.0)
    made = plan(roof_today.with_(demand=roof_today.demand.with_(bills=(bill,), counts="net")))
    assert made.demand.yearly_kwh == pytest.approx(4400.0, rel=0.01)
