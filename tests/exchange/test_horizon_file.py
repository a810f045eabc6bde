"""Horizons as tables of directions and heights."""

import pytest

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.horizon_file import MOST_POINTS, read_horizon


def read(tmp_path, text):
    path = tmp_path / "horizon.csv"
    path.write_text(text, encoding="utf-8")
    return read_horizon(path)


FOUR = ((0.0, 5.0), (90.0, 2.5), (180.0, 0.0), (270.0, 12.0))
TABLES = {
    "clockwise from north": "azimuth,height\n0,5\n90,2.5\n180,0\n270,12\n360,5\n",
    "from south, with more beside it": (
        "Latitude (decimal degrees): 45.8\n\nA\t\tH_hor\t\tA_sun(w)\n-180.0\t\t5.0\t\t-53.2\n-90.0\t\t2.5\t\t-40\n"
        "0.0\t\t0.0\t\t-10\n90.0\t\t12.0\t\t10\n180.0\t\t5.0\t\t53\n\nA: Azimuth (0 = S, 90 = W, -90 = E) (degree)\n"
    ),
    "decimal commas": "Richtung;Höhe\n0;5,0\n90;2,5\n180;-0,4\n270;12,0\n",
    "a compass, degrees written": "# compass from North\n0° 5°\n90° 2.5°\n180° 0°\n-90° 12°\n",
    "any order": "270 12\n0 5\n180 0\n90 2.5\n",
}


@pytest.mark.parametrize("name", TABLES)
def test_horizons_of_many_shapes_are_read(tmp_path, name):
    found = read(tmp_path, TABLES[name])
    assert found.points == FOUR
    signed = name in {"from south, with more beside it", "a compass, degrees written"}
    assert (len(found.notes) == 1) == signed


def test_a_finer_table_keeps_its_highest(tmp_path):
    text = "\n".join(f"{n} {40 if n == 181 else 3}" for n in range(360))
    found = read(tmp_path, text)
    assert len(found.points) <= MOST_POINTS and (180.0, 40.0) in found.points
    assert found.notes == ("of each 3° the highest stands",)


@pytest.mark.parametrize(
    ("text", "where", "problem"),
    [
        ("nothing here\n", "", "holds no horizon"),
        ("0 5\n400 3\n", "line 2", "the direction is 400°"),
        ("0 5\n90 95\n", "line 2", "the height is 95°"),
    ],
)
def test_what_is_wrong_is_named(tmp_path, text, where, problem):
    with pytest.raises(InputError) as caught:
        read(tmp_path, text)
    assert caught.value.where == where and problem in caught.value.problem
