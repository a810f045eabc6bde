"""A plan by a table of hours against one by the TMY3 file that holds the same hours."""

from datetime import datetime, timedelta
from math import isnan

import pytest

from calm_relay.exchange.shipped import library
from calm_relay.exchange.weather_file import read_weather_years
from calm_relay.planning.site.site_year import site_year
from calm_relay.planning.views.seasons import how_sure
from tests.plans import plan

ALL = ("ghi", "dhi", "dni", "temp_air", "wind_speed")


def written(path, year, names, *, utc=False, place=True):
    """A table with some of a year's series; in UTC its first five hours are those of the year before."""
    head = ["Latitude: 36.1", "Longitude: -79.95"] if place else []
    lines = []
    for n in range(8760):
        at = datetime(2023, 1, 1) + timedelta(hours=n)
        row = (n - 5) % 8760 if utc else n
        lines.append(f"{at:%Y-%m-%d %H:%M}," + ",".join(f"{getattr(year, name)[row]}" for name in names))
    path.write_text("\n".join([*head, ",".join(["time(UTC)" if utc else "time", *names]), *lines]))
    return path


@pytest.fixture(scope="module")
def hours(greensboro):
    (year,) = read_weather_years(greensboro.site.weather.path)
    return year


def by_table(job, path):
    return job.site.with_(weather={"kind": "file", "path": str(path)})


@pytest.mark.parametrize("utc", [False, True])
def test_a_table_gives_the_year_that_a_tmy3_file_gives(greensboro, hours, tmp_path, utc):
    told = site_year(greensboro.site, None, tmp_path)
    made = site_year(by_table(greensboro, written(tmp_path / "t.csv", hours, ALL, utc=utc)), None, tmp_path)
    for name in ALL:
        assert getattr(made.weather, name) == pytest.approx(getattr(told.weather, name), abs=1e-6)
    assert made.distance_km == pytest.approx(0.0, abs=1.0) and made.source == "weather file t.csv"


@pytest.mark.parametrize(
    ("names", "share"), [(("ghi", "dni", "temp_air", "wind_speed"), 0.01), (("ghi", "temp_air"), 0.06)]
)
def test_what_it_leaves_out_is_worked_out_and_said(greensboro, hours, tmp_path, names, share):
    told = site_year(greensboro.site, None, tmp_path)
    made = site_year(by_table(greensboro, written(tmp_path / "t.csv", hours, names)), None, tmp_path)
    assert made.weather.ghi == pytest.approx(told.weather.ghi, abs=1e-6)
    assert made.weather.dhi.sum() == pytest.approx(told.weather.dhi.sum(), rel=share)
    assumed = ", its diffuse light and its wind assumed" if len(names) == 2 else ""
    assert made.source == f"weather file t.csv{assumed}"


def test_a_table_of_no_place_is_planned_with_and_said_so(greensboro, hours, tmp_path):
    path = written(tmp_path / "t.csv", hours, ALL, place=False)
    made = plan(greensboro.with_(site=by_table(greensboro, path)))
    assert isnan(made.site.distance_km)
    assert "does not say of what place it is" in how_sure(made, library())
    assert not [finding for finding in made.options[0].findings if finding.check == "weather"]
