"""An item while it is typed: what follows from it, what is missing, what looks wrong."""

import pytest
from pydantic import ValidationError

from calm_relay.exchange.shipped import catalogue
from calm_relay.job.equipment import KINDS
from calm_relay.planning.equipment.draft import (
    MODELS,
    derived,
    doubts,
    item_of,
    key_of,
    missing,
    parts_of,
    paths_of,
    stated_of,
)
from calm_relay.planning.views.item_picture import current_over_voltage, pictures_of

ALL = frozenset({"pv", "battery", "backup"})
TYPED = {
    "name": "Larkmoor 400",
    "power_w": 400.0,
    "open_circuit_v": 37.1,
    "short_circuit_a": 13.8,
    "max_power_v": 31.0,
    "max_power_a": 12.9,
    "length_mm": 1722.0,
    "width_mm": 1134.0,
}


@pytest.mark.parametrize("kind", KINDS)
def test_every_shipped_item_can_be_typed_and_comes_back_the_same(kind):
    for item in getattr(catalogue(), kind):
        assert item_of(kind, stated_of(item), item.key) == item


def test_what_a_datasheet_usually_states_is_enough_for_a_module():
    item = item_of("modules", TYPED, "x")
    found = derived("modules", TYPED)
    assert item.cells_in_series == 54
    assert item.vmp_per_c == pytest.approx(-0.0035 - 0.0005)
    assert item.series_fuse_a == 25.0
    assert "1.56" in found["series_fuse_a"].how
    assert not set(found) & set(TYPED)


def test_what_is_stated_goes_before_what_follows():
    item = item_of("modules", TYPED | {"cells_in_series": 108, "voc_per_c": -0.003}, "x")
    assert (item.cells_in_series, item.voc_per_c) == (108, -0.003)


def test_what_is_usual_and_not_stated_is_missing():
    assert missing("modules", {"name": "x"}, frozenset())[0] == "power_w"
    assert missing("modules", TYPED, frozenset()) == ()
    assert "battery.low_v" in missing("inverters", {}, frozenset({"battery"}))
    assert "battery.low_v" not in missing("inverters", {}, frozenset({"pv"}))
    with pytest.raises(ValidationError):
        item_of("modules", {"name": "x"}, "x")


def test_a_hybrid_from_few_figures():
    typed = {
        "name": "Tamber", "ac_kw": 5.0, "phases": "single", "peak_efficiency": 0.975, "pv.inputs": 2,
        "pv.tracker.mppt_low_v": (90.0,), "pv.tracker.mppt_high_v": (520.0,), "pv.tracker.max_v": (600.0,),
        "pv.tracker.usable_a": (16.0, 13.0), "battery.families": ("fern-lv",), "battery.low_v": 42.0,
        "battery.high_v": 60.0, "battery.charge_kw": 5.0, "battery.discharge_kw": 5.0, "backup.continuous_kw": 5.0,
    }  # fmt: skip
    assert missing("inverters", typed, ALL) == ()
    item = item_of("inverters", typed, "tamber")
    assert item.kind == "hybrid inverter"
    assert item.max_ac_a == pytest.approx(21.7)
    assert [tracker.usable_a for tracker in item.pv.trackers] == [16.0, 13.0]
    assert item.pv.trackers[0].full_power_low_v == pytest.approx(5000 / 29, abs=0.1)
    assert item.battery.charge_a == pytest.approx(5000 / 51, abs=0.1)
    # Without a stated surge none is counted on.
    assert item.backup.surge_kw == 5.0
    assert item_of("inverters", typed, "tamber", frozenset({"battery"})).kind == "battery inverter"


def test_paths_name_every_field_of_the_models():
    from calm_relay.planning.equipment.draft import field_at

    for kind in KINDS:
        for path in paths_of(kind, ALL if kind == "inverters" else frozenset()):
            if path != "pv.inputs":
                model, name = field_at(kind, path)
                assert name in model.model_fields
    with pytest.raises(KeyError):
        field_at("modules", "no_such_field")


@pytest.mark.parametrize(
    ("change", "path", "words"),
    [
        ({"power_w": 430.0}, "power_w", "Vmp × Imp is 400 W"),
        ({"open_circuit_v": 60.0}, "open_circuit_v", "fill factor of 0.48"),
        ({"length_mm": 1000.0, "width_mm": 1000.0}, "length_mm", "efficiency of 40%"),
        ({"voc_per_c": -0.005}, "voc_per_c", "-0.5 %/°C"),
        ({"cells_in_series": 30}, "cells_in_series", "1.24 V a cell"),
    ],
)
def test_what_looks_wrong_in_a_module_is_said_at_its_field(change, path, words):
    assert doubts("modules", TYPED) == ()
    said = {doubt.path: doubt.sentence for doubt in doubts("modules", TYPED | change)}
    assert words in said[path]


def test_a_price_is_held_against_the_others_of_its_kind():
    others = [item for item in catalogue().packs if item.price]
    typed = stated_of(others[0])
    assert not [doubt for doubt in doubts("packs", typed, others=others) if doubt.path == "price"]
    far = {**typed, "price": typed["price"] * 20}
    assert "a kWh" in next(
        doubt.sentence for doubt in doubts("packs", far, others=others) if doubt.path == "price"
    )
    assert not [doubt for doubt in doubts("packs", far) if doubt.path == "price"]


def test_windows_rates_and_surges_that_contradict_are_said():
    hybrid = stated_of(next(item for item in catalogue().inverters if item.kind == "hybrid inverter"))
    high = doubts("inverters", hybrid | {"pv.tracker.mppt_high_v": (900.0,)})
    assert any("above the highest DC voltage" in doubt.sentence for doubt in high)
    surge = doubts("inverters", hybrid | {"backup.surge_kw": 1.0})
    assert any(doubt.path == "backup.surge_kw" for doubt in surge)
    pack = stated_of(catalogue().packs[0])
    assert any("C" in doubt.sentence for doubt in doubts("packs", pack | {"charge_c": 3.0}))


def test_keys_come_from_names_and_are_single():
    assert key_of("Größe Ö 5,1 kWh") == "groe-o-5-1-kwh"
    assert key_of("Fern 48", {"fern-48", "fern-48-2"}) == "fern-48-3"
    assert key_of("···") == "item"


def test_the_curve_of_a_module_runs_through_its_stated_points():
    """Isc, maximum power and Voc of the datasheet lie on the curve that is drawn."""
    for module in catalogue().modules:
        volts, amps = current_over_voltage(module, 25.0)
        assert amps[0] == pytest.approx(module.short_circuit_a, rel=1e-3)
        assert amps[-1] == pytest.approx(0.0, abs=0.02 * module.short_circuit_a)
        assert (volts * amps).max() == pytest.approx(module.max_power_v * module.max_power_a, rel=0.01)
        cold, _ = current_over_voltage(module, -10.0)
        assert cold[-1] == pytest.approx(module.open_circuit_v * (1 - 35 * module.voc_per_c))


def test_every_kind_has_its_picture():
    for kind in MODELS:
        for item in getattr(catalogue(), kind):
            pictures = pictures_of(item)
            assert pictures
            assert all(picture.curves or picture.spans for picture in pictures)
            assert parts_of(kind, stated_of(item)) <= ALL
