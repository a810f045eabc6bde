"""Nothing that moves a wall may move a figure of a demo; what changes one on purpose records it anew."""

import json

import pytest

from calm_relay.exchange.shipped import DEMOS
from tests.goldens.compare import moved
from tests.goldens.record import golden_file, recorded


@pytest.mark.parametrize("name", DEMOS)
def test_a_demo_comes_to_what_is_recorded(name):
    lines = moved(json.loads(golden_file(name).read_text()), recorded(name))
    assert not lines, "\n".join(lines[:40])


def test_a_figure_off_by_a_billionth_is_noticed():
    before = {"assess": {"/bill": 100.0, "/sums": [1.0, 2.0], "/gone": 0.0, "texts": "a"}}
    after = {"assess": {"/bill": 100.0000002, "/sums": [1.0, 2.00000001], "/new": 0.0, "texts": "b"}}
    assert len(moved(before, after)) == 5
    assert moved(before, before) == []
