"""Where each current transformer sits and which way it points: decided from three moments."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np

from calm_relay.job.circuit_kinds import CIRCUITS, Phases
from calm_relay.job.commissioning import CT_MOMENTS, Commissioning

# Angle of a conductor's current against the voltage that its transformer is multiplied with [deg], by phases apart.
ANGLE = {"single": 0.0, "split": 180.0, "three": 120.0}
# Instruments disagree by this share, and by this much at least [kW]: common practice, no source.
NOISE, NOISE_KW = 0.03, 0.02
# A placement that explains so much worse than the best one is ruled out.
CLEARLY = 12.0
MOST_OTHERS, MOST_EACH = 40, 20
# How much a less usual placement must explain better.
RARER = {"right": 0.0, "wrong phase": 2.0, "not closed": 4.0, "misses a load": 4.0, "elsewhere": 3.0, "dead": 1.0}


@dataclass(frozen=True)
class Placement:
    """Where one transformer sits: on the conductor of `phase` (from 0) of a cable, its arrow right or reversed.

    `kind` is "right" (on the service cable of its own phase), "wrong phase", "elsewhere" (on the cable `cable`,
    which is the arrays' or the loads'), "not closed", "misses a load" or "dead"; `share` is what a jaw that is not
    closed lets through, or the load it misses [kW].
    """

    kind: str
    cable: str
    phase: int
    reversed: bool
    share: float = 1.0

    @property
    def is_right(self) -> bool:
        """Whether nothing is to be done."""
        return self.kind == "right" and not self.reversed

    def words(self, number: int) -> str:
        """What is wrong and what to turn, of the transformer of a phase (from 0)."""
        name = f"CT {number + 1}"
        turn = f" Turn {name} round." if self.reversed else ""
        also = " and it points the wrong way" if self.reversed else ""
        if self.is_right:
            return f"{name} sits right."
        if self.kind == "right":
            return f"{name} points the wrong way: turn it round, its arrow towards the grid."
        if self.kind == "dead":
            return f"{name} shows nothing: its plug is out, its cable broken, or its jaw open."
        if self.kind == "not closed":
            return (
                f"{name} shows {self.share:.0%} of what flows{also}: close its jaw, or set its ratio right.{turn}"
            )
        if self.kind == "misses a load":
            return (
                f"{name} misses {self.share:.1f} kW of load{also}: a circuit leaves ahead of it. Move it to the "
                f"cable that leaves the meter.{turn}"
            )
        if self.kind == "wrong phase":
            return (
                f"{name} sits on phase {self.phase + 1}{also}: move it to phase {number + 1}, or exchange the inputs."
                f"{turn}"
            )
        cable = {"pv": "the arrays' cable", "load": "the loads' cable"}[self.cable]
        where = f"{cable}, phase {self.phase + 1}{also}"
        return f"{name} sits on {where}: move it to the cable that leaves the meter.{turn}"


@dataclass(frozen=True)
class CtFinding:
    """What the three moments say of every transformer.

    `placements` is the best explanation, one a phase; `others` explain nearly as well, so the moments do not tell them
    apart; `problem` says why nothing can be said.
    """

    placements: tuple[Placement, ...]
    others: tuple[tuple[Placement, ...], ...]
    problem: str = ""
    off_kw: float = 0.0

    @property
    def sentences(self) -> tuple[str, ...]:
        """What to turn and what to move, a sentence a transformer."""
        if self.problem:
            return (self.problem,)
        said = tuple(item.words(number) for number, item in enumerate(self.placements))
        if self.others:
            other = " ".join(
                item.words(number)
                for number, (item, best) in enumerate(zip(self.others[0], self.placements, strict=True))
                if item != best
            )
            more = f" and {len(self.others) - 1} more" if len(self.others) > 1 else ""
            return (
                *said,
                f"As likely by these moments: {other}{more} One large load on one phase at a time tells them apart.",
            )
        return said

    @property
    def is_right(self) -> bool:
        """Whether every transformer sits right, and nothing else explains it as well."""
        return not self.problem and all(item.is_right for item in self.placements)


def ct_finding(record: Commissioning, phases: Phases) -> CtFinding:
    """Decides among all placements and directions from the moments that a job holds.

    Parameters
    ----------
    record : Commissioning
        Moments with what flowed and what was shown.
    phases : {"single", "split", "three", "three-wire"}
        Of the service.
    """
    if not CIRCUITS[phases].has_neutral:
        return CtFinding(
            (),
            (),
            "Without neutral what a transformer on one line shows depends on which two voltages its meter reads: no "
            "advice here. Test it by the maker's own sheet, one load between two lines at a time.",
        )
    count = CIRCUITS[phases].live
    moments = [record.ct_moment(kind) for kind in CT_MOMENTS]
    full = [moment for moment in moments if len(moment.load) == count and len(moment.shown) == count]
    if len(full) < 2:
        wanted = "three moments: loads alone, arrays giving, battery charging"
        return CtFinding((), (), f"Wanted {wanted}, each with load and display on {_phases(count)}.")
    load = np.array([moment.load for moment in full])
    pv = np.array([moment.pv if len(moment.pv) == count else (0.0,) * count for moment in full])
    charge = np.array([moment.charge if len(moment.charge) == count else (0.0,) * count for moment in full])
    shown = np.array([moment.shown for moment in full])
    return explain(load, pv, charge, shown, phases)


def _phases(count: int) -> str:
    return "its phase" if count == 1 else f"all {count} phases"


def explain(load: np.ndarray, pv: np.ndarray, charge: np.ndarray, shown: np.ndarray, phases: Phases) -> CtFinding:
    """Decides where each transformer sits.

    Parameters
    ----------
    load, pv, charge : ndarray, shape (moments, phases)
        What the home took, the arrays gave and the battery took on each phase [kW].
    shown : ndarray, shape (moments, phases)
        Grid power as the unit's display says it, plus from the grid [kW].
    phases : {"single", "split", "three"}
        Of the service.

    Returns
    -------
    CtFinding
        The best of all combinations in which no two transformers sit on one conductor, and those as good.
    """
    grid = load - pv + charge
    if np.abs(np.diff(grid, axis=0)).max(initial=0.0) < 0.3:
        return CtFinding((), (), "The moments are too alike: wanted at least 0.3 kW between them.")
    each = [
        _candidates(number, grid, load, pv, shown[:, number], phases) for number in range(CIRCUITS[phases].live)
    ]
    ranked = sorted(
        (
            (sum(cost for cost, _ in combination), tuple(place for _, place in combination))
            for combination in product(*each)
            if _apart([place for _, place in combination])
        ),
        key=lambda item: item[0],
    )
    best_cost, best = ranked[0]
    off = float(
        max(
            np.abs(predicted(place, number, grid, load, pv, phases) - shown[:, number]).max()
            for number, place in enumerate(best)
        )
    )
    spread = NOISE_KW + NOISE * float(np.abs(grid).max())
    if off > 8.0 * spread:
        problem = (
            f"No placement explains the readings ({off:.1f} kW are left over): were the three moments read at "
            "once, in kW, and is the ratio right?"
        )
        return CtFinding(best, (), problem, off)
    seen = {tuple(_same(place) for place in best)}
    others = []
    for cost, places in ranked[1:]:
        kinds = tuple(_same(place) for place in places)
        if cost > best_cost + CLEARLY:
            break
        if kinds not in seen:
            seen.add(kinds)
            others.append(places)
    return CtFinding(best, tuple(others[:MOST_OTHERS]), "", off)


def _same(place: Placement) -> tuple[str, str, int, bool]:
    return place.kind, place.cable, place.phase, place.reversed


def _apart(places: Sequence[Placement]) -> bool:
    """Whether no two sit on one conductor."""
    taken = [(place.cable, place.phase) for place in places if place.kind != "dead"]
    return len(set(taken)) == len(taken)


def predicted(
    place: Placement, number: int, grid: np.ndarray, load: np.ndarray, pv: np.ndarray, phases: Phases
) -> np.ndarray:
    """What the display shows of a transformer that sits so [kW], shape (moments,).

    Currents are taken in phase with their own voltage: on another phase's voltage they count with the cosine of the
    angle between them.
    """
    if place.kind == "dead":
        return np.zeros(grid.shape[0])
    carried = {"service": grid, "pv": -pv, "load": load}[place.cable][:, place.phase]
    turned = float(np.cos(np.radians(ANGLE[phases]))) if place.phase != number else 1.0
    flow = carried * turned
    if place.kind == "not closed":
        flow = flow * place.share
    if place.kind == "misses a load":
        flow = flow - place.share
    return -flow if place.reversed else flow


def _candidates(
    number: int, grid: np.ndarray, load: np.ndarray, pv: np.ndarray, shown: np.ndarray, phases: Phases
) -> list[tuple[float, Placement]]:
    """Every placement of a transformer with what it leaves unexplained, the better ones first."""
    spread = NOISE_KW + NOISE * np.maximum(np.abs(shown), np.abs(grid).max(axis=1))
    found: list[tuple[float, Placement]] = []

    def weigh(place: Placement) -> None:
        left = (predicted(place, number, grid, load, pv, phases) - shown) / spread
        cost = float((left**2).sum()) + RARER[place.kind] + place.reversed
        found.append((cost, place))

    weigh(Placement("dead", "service", number, False))
    for phase in range(CIRCUITS[phases].live):
        for turned in (False, True):
            own = phase == number
            weigh(Placement("right" if own else "wrong phase", "service", phase, turned))
            # Where a cable carries what the service does, or nothing, no reading can tell, and nothing is lost.
            if np.abs(grid - load)[:, phase].max() > 0.1:
                weigh(Placement("elsewhere", "load", phase, turned))
            if np.abs(pv)[:, phase].max() > 0.1:
                weigh(Placement("elsewhere", "pv", phase, turned))
    for turned in (False, True):
        sign = -1.0 if turned else 1.0
        own_grid = grid[:, number] * sign
        share = float((own_grid / spread**2 @ shown) / max(own_grid / spread**2 @ own_grid, 1e-12))
        if 0.05 < share < 0.93:
            weigh(Placement("not closed", "service", number, turned, round(share, 3)))
        missed = float(((own_grid - shown) * sign / spread**2).sum() / (1.0 / spread**2).sum())
        if 0.1 < missed <= float(load[:, number].min()) * 1.1 + 0.1:
            weigh(Placement("misses a load", "service", number, turned, round(missed, 3)))
    return sorted(found, key=lambda item: item[0])[:MOST_EACH]
