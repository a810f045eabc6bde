"""The CT assistant on 1,000 random sites with instruments that are 2 % off.

What a transformer on another phase shows is the product of a current and a voltage 120 or 180 degrees apart: the
definition of real power, P = U I cos(phi).
"""

import numpy as np
import pytest

from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.commissioning import Commissioning, CtMoment
from calm_relay.planning.commissioning.ct_assistant import Placement, _apart, ct_finding, explain, predicted


def random_site(random, phases):
    """What flows in the three moments on each phase, and where each transformer was put [kW]."""
    count = CIRCUITS[phases].live
    base = random.uniform(0.4, 3.0, count)
    load = np.array([base * random.uniform(0.9, 1.1, count) for _ in range(3)])
    spread = count == 1 or random.random() < 0.5
    share = np.full(count, 1.0 / count) if spread else np.eye(count)[random.integers(count)]
    nothing = np.zeros(count)
    pv = np.array([nothing, random.uniform(2.0, 6.0) * share, nothing])
    charge = np.array([nothing, nothing, random.uniform(2.0, 6.0) * share])
    while True:
        places = [random_place(random, number, base, pv, phases) for number in range(count)]
        if _apart(places):
            return load, pv, charge, places


def random_place(random, number, base, pv, phases):
    turned, kind = bool(random.random() < 0.4), random.random()
    if kind < 0.45:
        phase = int(random.integers(CIRCUITS[phases].live))
        return Placement("right" if phase == number else "wrong phase", "service", phase, turned)
    if kind < 0.6:
        return Placement("not closed", "service", number, turned, float(random.uniform(0.2, 0.8)))
    if kind < 0.7:
        return Placement(
            "misses a load", "service", number, turned, float(random.uniform(0.3, 0.8) * base[number])
        )
    if kind < 0.8:
        return Placement("dead", "service", number, False)
    # A cable that carries what the service does, or nothing, is no mistake that a reading could show.
    if kind < 0.9 or pv[:, number].max() < 0.1:
        return Placement("right", "service", number, turned)
    return Placement("elsewhere", "pv" if kind < 0.95 else "load", number, turned)


def same(one, other):
    return (one.kind, one.cable, one.phase, one.reversed) == (other.kind, other.cable, other.phase, other.reversed)


def test_it_finds_every_placement_of_a_thousand_sites():
    """The true placements are the answer; where another explains the readings as well, they stand beside it."""
    random = np.random.default_rng(17)
    at_once = 0
    for number in range(1000):
        phases = ("single", "split", "three")[number % 3]
        load, pv, charge, places = random_site(random, phases)
        grid = load - pv + charge
        true = np.stack([predicted(place, at, grid, load, pv, phases) for at, place in enumerate(places)], axis=1)
        shown = true * (1.0 + 0.02 * random.standard_normal(true.shape))
        found = explain(load, pv, charge, shown, phases)
        assert not found.problem
        answers = (found.placements, *found.others)
        assert any(all(map(same, answer, places)) for answer in answers), (
            number,
            phases,
            places,
            found.placements,
        )
        at_once += all(map(same, found.placements, places))
    assert at_once >= 930


@pytest.mark.parametrize("turned", [False, True])
def test_a_whole_service_right_or_turned(turned):
    load = np.array([[1.5, 0.8, 2.2], [1.4, 0.9, 2.1], [1.5, 0.8, 2.2]])
    pv = np.array([[0.0] * 3, [2.0] * 3, [0.0] * 3])
    charge = np.array([[0.0] * 3, [0.0] * 3, [1.5] * 3])
    shown = (load - pv + charge) * (-1.0 if turned else 1.0)
    found = explain(load, pv, charge, shown, "three")
    assert found.is_right != turned
    assert all(("turn it round" in sentence) == turned for sentence in found.sentences)


def test_readings_that_nothing_explains_are_told():
    load = np.array([[1.0], [1.0], [1.0]])
    pv, charge = np.array([[0.0], [4.0], [0.0]]), np.array([[0.0], [0.0], [3.0]])
    found = explain(load, pv, charge, np.array([[900.0], [-700.0], [100.0]]), "single")
    assert "No placement explains" in found.problem


def test_moments_that_are_too_alike_or_missing_are_told():
    record = Commissioning(ct_moments=(CtMoment(kind="load only", load=(1.0,), shown=(1.0,)),))
    assert "Wanted three moments" in ct_finding(record, "single").problem
    twice = record.with_ct_moment(CtMoment(kind="PV only", load=(1.0,), pv=(0.1,), shown=(0.9,)))
    assert "too alike" in ct_finding(twice, "single").problem
    good = twice.with_ct_moment(CtMoment(kind="PV only", load=(1.0,), pv=(3.0,), shown=(2.0,)))
    assert "turn it round" not in ct_finding(good, "single").sentences[0]
