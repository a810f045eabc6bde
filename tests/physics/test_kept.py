"""What is kept between plans stays within its budget, whatever it grows to after it was kept."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pytest

from calm_relay.physics import kept as kept_module
from calm_relay.physics.kept import (
    COMMON,
    COMMON_BYTES,
    FLOWS_BYTES,
    MOST_BYTES,
    OLD_YEARS_BYTES,
    SERIES_BYTES,
    SINCE,
    STORE,
    YEARS_BYTES,
    Store,
    bytes_of,
    kept,
    kept_in_common,
)
from calm_relay.physics.plant.year import FLOWS
from calm_relay.planning.operation.simulate import OLD_YEARS, YEARS


@dataclass(frozen=True)
class Grows:
    series: np.ndarray

    @cached_property
    def twice(self):
        return self.series * 2.0


def test_arrays_are_counted_once_with_what_was_worked_out_from_them():
    grows = Grows(np.zeros(1000))
    assert bytes_of((grows, grows.series[10:], {"a": [grows]})) == 8000
    assert grows.twice.size == 1000
    assert bytes_of(grows) == 16000


def test_what_another_thread_works_out_meanwhile_does_not_break_the_measure():
    """Each look at an array's base stands for the other thread, which keeps one thing more where it is looked at."""

    class Looked(np.ndarray):
        @property
        def base(self):
            vars(grows)[f"worked out {len(vars(grows))}"] = 1.0
            mapped[len(mapped)] = 1.0

    mapped = {0: np.zeros(10).view(Looked), 1: np.zeros(10)}
    grows = Grows(np.zeros(1000).view(Looked))
    assert bytes_of(grows) == 8000
    assert bytes_of(mapped) == 160


def test_the_latest_used_stay_and_the_sum_stays_within_the_budget():
    store = Store(100_000)
    for number in range(60):
        store.get(number, lambda: Grows(np.zeros(1000)))
        # The first is asked for again and again.
        store.get(0, lambda: pytest.fail("it is kept"))
    assert store.nbytes <= 100_000 + SINCE * 8000
    assert len(store._results) < 30


def test_what_grows_after_it_was_kept_is_seen_at_the_next_measure():
    store = Store(100_000)
    made = [store.get(number, lambda: Grows(np.zeros(1000))) for number in range(SINCE)]
    for item in made:
        assert item.twice.size == 1000
    for number in range(SINCE, 4 * SINCE):
        store.get(number, lambda: np.zeros(1))
    assert store.nbytes <= 100_000 + SINCE * 16


def test_a_function_runs_once_for_the_same_arguments(monkeypatch):
    monkeypatch.setattr(kept_module, "STORE", Store(1_000_000))
    runs = []

    @kept
    def doubled(number, *, plus=0):
        runs.append(number)
        return np.full(3, 2.0 * number + plus)

    assert doubled(2).tolist() == doubled(2).tolist() == [4.0] * 3
    assert doubled(2, plus=1).tolist() == [5.0] * 3
    assert runs == [2, 2] and doubled.__name__ == "doubled"


def test_all_caches_together_have_one_budget():
    assert SERIES_BYTES + COMMON_BYTES + YEARS_BYTES + FLOWS_BYTES + OLD_YEARS_BYTES == MOST_BYTES
    assert STORE._most_bytes == SERIES_BYTES and COMMON._most_bytes == COMMON_BYTES
    assert YEARS._most_bytes == YEARS_BYTES
    assert OLD_YEARS._most_bytes == OLD_YEARS_BYTES and FLOWS._most_bytes == FLOWS_BYTES


def test_what_jobs_have_in_common_outlives_their_own_series():
    """A book plans one job after another; none of them works out anew what the others asked for too."""
    asked = []

    @kept_in_common
    def shared(number):
        asked.append(number)
        return np.full(1000, float(number))

    @kept
    def own(number):
        return np.full(SERIES_BYTES // 8 // 4, float(number))

    shared(1)
    for number in range(20):
        own(number)
        shared(1)
    assert asked == [1]
    STORE.clear()
