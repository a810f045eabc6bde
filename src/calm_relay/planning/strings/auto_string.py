"""Strings laid by the planner: the best of all layouts that pass every hard check, found by integer programming.

Every layout that one input can carry is listed: strings of one face, or strings of two faces equal in length and
module. Which input carries which is then an integer program over the kinds of inputs, solved to its optimum, so
that nothing is missed; what cannot be connected is named with its reason.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations
from math import ceil, floor
from typing import Any

import numpy as np

from calm_relay.exchange.array_cache import cached_arrays
from calm_relay.job.equipment import Inverter, Module, Optimiser, Tracker
from calm_relay.job.model import RoofFace
from calm_relay.physics.strings import reverse_current_a
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.site.array import DesignTemperatures, Face
from calm_relay.planning.strings.limits import (
    FULL_POWER,
    HOT_MARGIN,
    SiteLimit,
    current_limits,
    lengths_allowed,
    rear_gain,
    voltage_limits,
)
from calm_relay.planning.strings.stringing import LAID, LeftOut, Stringing, StringRun

# What is given away for an easier or better layout, in modules of the best face: a string more, fuses, unlike
# faces on one input, hot voltage near the tracker's edge; of the last so much of the share that it stays below the
# voltage of full power, so that one long string does not pay for a short one.
STRING_COST, FUSE_COST, SHARED_COST, EDGE_COST, DIM_COST = 0.02, 0.3, 0.25, 0.15, 0.4
# Raised when the same faces and inputs would be laid otherwise.
EDITION = 4


@dataclass(frozen=True)
class _Want:
    """A face as the search sees it: its module, how many, the worth of one, and the strings it must keep."""

    plan: RoofFace
    module: Module
    worth: float
    fixed: bool


@dataclass(frozen=True)
class _Layout:
    """What one input can carry: for each face (number, in series, parallel), and what it is worth."""

    parts: tuple[tuple[int, int, int], ...]
    worth: float


def lay_strings(
    faces: tuple[Face, ...],
    inverter: Inverter,
    temperatures: DesignTemperatures,
    site: SiteLimit,
    optimisers: dict[str, Optimiser],
    fixed: frozenset[Any] | set[str] = frozenset(),
) -> Stringing:
    """The best strings for an inverter.

    Parameters
    ----------
    faces : tuple of Face
        Faces of the roof.
    inverter : Inverter
        The inverter they hang on.
    temperatures : DesignTemperatures
        Coldest and hottest cell.
    site : SiteLimit
        Limit of the region's rules.
    optimisers : dict of str to Optimiser
        By face name, for faces that have them.
    fixed : frozenset of str
        Faces whose strings stay as they are wired: same number, same length.

    Returns
    -------
    Stringing
        Never one that fails a hard check; modules that find no place are left out with the reason.
    """
    if inverter.pv is None:
        return Stringing((), tuple(LeftOut(face, face.plan.count, "there is no input") for face in faces), LAID)
    trackers = list(enumerate(inverter.pv.trackers, 1))
    best = max((face.kwh_a_module for face in faces), default=1.0) or 1.0
    plain = [face for face in faces if face.plan.name not in optimisers]
    optimised = [face for face in faces if face.plan.name in optimisers]
    runs: list[StringRun] = []
    left_out: list[LeftOut] = []
    for group in _of_one_kind(optimised, optimisers):
        chains = max((run.chain for run in runs), default=0)
        result, out, used = _optimised(group, inverter, trackers, optimisers[group[0].plan.name], chains)
        runs += result
        left_out += out
        trackers = [item for item in trackers if item[0] not in used]
    wants = tuple(
        _Want(face.plan, face.module, round(face.kwh_a_module / best, 3), face.plan.name in fixed)
        for face in plain
    )
    cold_c, hot_c = temperatures.cold_c, round(temperatures.hot_c, 3)
    for number, face_number, in_series, parallel in _solve(
        wants, tuple(trackers), cold_c, hot_c, min(site.volts, 1e6)
    ):
        tracker = inverter.pv.trackers[number - 1]
        runs.append(StringRun(plain[face_number], in_series, parallel, tracker, number))
    for number, face in enumerate(plain):
        left = face.plan.count - sum(run.modules for run in runs if run.face is face)
        if left:
            reason = _why(wants[number], left, trackers, {run.tracker_number for run in runs}, cold_c, hot_c, site)
            left_out.append(LeftOut(face, left, reason))
    runs.sort(key=lambda run: (run.tracker_number, run.chain))
    return Stringing(tuple(runs), tuple(left_out), LAID)


@lru_cache(maxsize=256)
def _solve(
    wants: tuple[_Want, ...],
    trackers: tuple[tuple[int, Tracker], ...],
    cold_c: float,
    hot_c: float,
    site_v: float,
) -> tuple[tuple[int, int, int, int], ...]:
    """(input, face, in series, parallel) of the best layout, remembered between runs."""
    if not wants or not trackers:
        return ()
    faces = [
        (
            want.plan.count,
            want.plan.strings,
            want.plan.mounting,
            want.module.model_dump_json(),
            want.worth,
            want.fixed,
        )
        for want in wants
    ]
    inputs = [(number, tracker.model_dump_json()) for number, tracker in trackers]
    key = f"strings|{EDITION}|{faces}|{inputs}|{cold_c}|{hot_c}|{site_v}"

    def make() -> dict[str, np.ndarray]:
        return {"runs": np.array(_optimum(wants, trackers, cold_c, hot_c, site_v), dtype=int).reshape(-1, 4)}

    return tuple(map(tuple, cached_arrays(key, make, {"runs": None}, small=True)["runs"].tolist()))


def _optimum(
    wants: tuple[_Want, ...],
    trackers: tuple[tuple[int, Tracker], ...],
    cold_c: float,
    hot_c: float,
    site_v: float,
) -> tuple[tuple[int, int, int, int], ...]:
    from scipy.optimize import Bounds, LinearConstraint, milp

    kinds: dict[Tracker, list[int]] = {}
    for number, tracker in trackers:
        kinds.setdefault(tracker, []).append(number)
    columns = [
        (kind, layout)
        for kind in kinds
        for layout in _layouts(wants, kind, cold_c, hot_c, site_v)
        if layout.worth > 0
    ]
    if not columns:
        return ()
    rows = list(kinds) + list(range(len(wants)))
    matrix = np.zeros((len(rows) + sum(want.fixed for want in wants), len(columns)))
    low = np.zeros(matrix.shape[0])
    high = np.array([len(kinds[kind]) for kind in kinds] + [want.plan.count for want in wants], dtype=float)
    high = np.append(high, np.zeros(matrix.shape[0] - high.size))
    fixed_rows: dict[int, int] = {}
    for number, want in enumerate(wants):
        if want.fixed:
            fixed_rows[number] = len(rows) + len(fixed_rows)
            high[fixed_rows[number]] = want.plan.strings
    for at, (kind, layout) in enumerate(columns):
        matrix[rows.index(kind), at] = 1
        for face, in_series, parallel in layout.parts:
            matrix[len(kinds) + face, at] += in_series * parallel
            if face in fixed_rows:
                matrix[fixed_rows[face], at] += parallel
    most = np.array([len(kinds[kind]) for kind, _ in columns], dtype=float)
    solved = milp(
        -np.array([layout.worth for _, layout in columns]),
        constraints=LinearConstraint(matrix, low, high),
        integrality=np.ones(len(columns)),
        bounds=Bounds(0, most),
        options={"mip_rel_gap": 1e-6},
    )
    if solved.x is None:
        return ()
    free = {kind: list(numbers) for kind, numbers in kinds.items()}
    taken = [
        (layout, kind)
        for (kind, layout), times in zip(columns, np.round(solved.x).astype(int), strict=True)
        for _ in range(times)
    ]
    # Faces take the inputs in their own order.
    taken.sort(key=lambda item: min(face for face, *_ in item[0].parts))
    result = []
    for layout, kind in taken:
        number = free[kind].pop(0)
        result += [(number, face, in_series, parallel) for face, in_series, parallel in layout.parts]
    return tuple(result)


def _layouts(
    wants: tuple[_Want, ...], tracker: Tracker, cold_c: float, hot_c: float, site_v: float
) -> Iterator[_Layout]:
    singles = {}
    for number, want in enumerate(wants):
        lengths = list(lengths_allowed(want.module, tracker, cold_c, hot_c, SiteLimit(site_v, "")))
        if want.fixed:
            lengths = [n for n in lengths if n == want.plan.in_series]
        singles[number] = [n for n in lengths if n <= want.plan.count]
        for in_series in singles[number]:
            for parallel in range(1, tracker.strings + 1):
                if _carries(want, tracker, parallel) and parallel * in_series <= want.plan.count:
                    yield _layout(wants, tracker, ((number, in_series, parallel),), cold_c, hot_c)
    for one, other in combinations(range(len(wants)), 2):
        if wants[one].module != wants[other].module:
            continue
        for in_series in set(singles[one]) & set(singles[other]):
            for p in range(1, tracker.strings):
                for q in range(1, tracker.strings - p + 1):
                    fits = p * in_series <= wants[one].plan.count and q * in_series <= wants[other].plan.count
                    if fits and _carries(wants[one], tracker, p + q) and _carries(wants[other], tracker, p + q):
                        yield _layout(wants, tracker, ((one, in_series, p), (other, in_series, q)), cold_c, hot_c)


def _carries(want: "_Want", tracker: Tracker, parallel: int) -> bool:
    """Whether an input survives so many strings of a face in parallel."""
    module = want.module
    shorted_a = parallel * module.short_circuit_a * rear_gain(module, want.plan.mounting)
    limits = current_limits(shorted_a, parallel * module.max_power_a, tracker)
    return not any(limit.missed for limit in limits if limit.severity is Severity.STOP)


def _layout(
    wants: tuple[_Want, ...],
    tracker: Tracker,
    parts: tuple[tuple[int, int, int], ...],
    cold_c: float,
    hot_c: float,
) -> _Layout:
    module, in_series = wants[parts[0][0]].module, parts[0][1]
    parallel = sum(p for _, _, p in parts)
    modules = sum(wants[face].worth * n * p for face, n, p in parts)
    used = min(1.0, tracker.usable_a / (parallel * module.max_power_a))
    worth = modules * (0.5 + 0.5 * used) - STRING_COST * parallel
    if len(parts) > 1:
        worth -= SHARED_COST
    if parallel > 2 or reverse_current_a(module.short_circuit_a, parallel) > module.series_fuse_a:
        worth -= FUSE_COST
    limits = {limit.key: limit for limit in voltage_limits(module, tracker, cold_c, hot_c)}
    if limits[HOT_MARGIN].missed(in_series):
        worth -= EDGE_COST
    full = limits[FULL_POWER]
    if full.missed(in_series):
        worth -= DIM_COST * (1.0 - full.volts(in_series) / full.limit_v)
    # Of layouts that connect as much, the one nearest the middle of the tracker's window.
    middle = (tracker.full_power_low_v + tracker.mppt_high_v) / 2 / module.max_power_v
    worth -= 0.0004 * parallel * (in_series - middle) ** 2
    return _Layout(parts, worth)


def _why(
    want: _Want,
    left: int,
    trackers: list[tuple[int, Tracker]],
    taken: set[int],
    cold_c: float,
    hot_c: float,
    site: SiteLimit,
) -> str:
    """Why modules of a face were left out."""
    lengths = [
        lengths_allowed(want.module, tracker, cold_c, hot_c, site)
        for number, tracker in trackers
        if number not in taken
    ]
    if not trackers:
        return "no input is free"
    if not lengths:
        return "every input is taken"
    if want.fixed:
        return f"they stay wired {want.plan.in_series} in series, which no free input takes"
    allowed = [item for item in lengths if len(item)]
    if not allowed:
        return "no number of them in series meets a free input's voltages"
    shortest = min(item.start for item in allowed)
    if left < shortest:
        return f"a string on a free input needs at least {shortest} in series"
    return "more of them would pass a current limit"


def _of_one_kind(faces: list[Face], optimisers: dict[str, Optimiser]) -> list[list[Face]]:
    """Faces by the optimisers under their modules, which share no string with others; the most modules first."""
    kinds: dict[str, list[Face]] = {}
    for face in faces:
        kinds.setdefault(optimisers[face.plan.name].key, []).append(face)
    return [kinds[key] for key in sorted(kinds, key=lambda key: (-sum(f.plan.count for f in kinds[key]), key))]


def _optimised(
    faces: list[Face],
    inverter: Inverter,
    trackers: list[tuple[int, Tracker]],
    optimiser: Optimiser,
    chains: int,
) -> tuple[list[StringRun], list[LeftOut], set[int]]:
    """Strings of modules with one kind of optimiser, across faces where need be, numbered on from `chains`."""
    if not (optimiser.any_inverter or optimiser.key in inverter.pv_side.optimisers):
        reason = f"{inverter.name} does not speak to {optimiser.name}"
        return [], [LeftOut(face, face.plan.count, reason) for face in faces], set()
    queue = [face for face in faces for _ in range(face.plan.count)]
    seats = [(number, tracker) for number, tracker in trackers for _ in range(tracker.strings)]
    # One string on every input before a second on any.
    order = {number: 0 for number, _ in trackers}
    ranked = []
    for number, tracker in seats:
        order[number] += 1
        ranked.append((order[number], number, tracker))
    ranked.sort(key=lambda seat: seat[:2])
    heaviest_w = max(face.module.power_w for face in faces)
    longest = min(optimiser.string_max, floor(optimiser.string_power_w / heaviest_w))
    fewest = ceil(len(queue) / longest) if longest else 0
    count = next(
        (n for n in range(max(fewest, 1), len(ranked) + 1) if len(queue) // n >= optimiser.string_min), None
    )
    reason = ""
    if not longest or count is None:
        count = min(len(ranked), len(queue) // optimiser.string_min) if longest else 0
        reason = f"a string holds {optimiser.string_min} to {longest} of them, and there are {len(ranked)} places"
    runs, at = [], 0
    for chain in range(1, count + 1):
        size = min(longest, (len(queue) - at) // (count - chain + 1))
        here, at = queue[at : at + size], at + size
        _, number, tracker = ranked[chain - 1]
        for face in dict.fromkeys(here):
            runs.append(StringRun(face, here.count(face), 1, tracker, number, optimiser, chains + chain))
    out = [LeftOut(face, queue[at:].count(face), reason) for face in dict.fromkeys(queue[at:])]
    return runs, out, {run.tracker_number for run in runs}
