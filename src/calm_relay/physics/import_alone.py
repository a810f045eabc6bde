"""A house behind its array, from a meter that counts nothing but what comes in."""

from dataclasses import dataclass

import numpy as np

# The least of its nights is what a house draws at rest; less than this share of it is no import.
REST_SHARE, NO_IMPORT = 0.05, 0.05
# How unsteady a house is within an interval of 30 minutes or more, and within a shorter one, as the shape of a gamma
# distribution about its mean: common practice, no source.
LONG, UNSTEADY, STEADIER = 30, 2.0, 4.0
# Minutes, and up to what share of what the array makes a house's mean stays unseen: its moments must all do so. As the
# quarter hours of the made households here have it, no source.
HIDDEN = (5.0, 15.0, 30.0, 60.0), (1.0, 0.95, 0.7, 0.55)


@dataclass(frozen=True, eq=False)
class BehindImport:
    """The house [kW] a step, and the steps in which its array carried it and the meter saw nothing of it."""

    kw: np.ndarray
    unseen: np.ndarray


def house_behind_import(
    import_kw: np.ndarray, made_kw: np.ndarray, zenith: np.ndarray, month: np.ndarray, minutes: int
) -> BehindImport:
    """What a house draws, from what comes in and what its array makes.

    Where something comes in, the house draws it and what the array makes, less what goes out at other moments of the
    same interval. Where nothing does, it draws less than the array makes: there it is taken to draw the mean of all
    that it draws of no more than that at the same time of day, on the level of the month. How often it draws how much
    is estimated from both kinds of days.

    Parameters
    ----------
    import_kw, made_kw : ndarray, shape (steps of 365 days,)
        What comes in, and what the array makes [kW].
    zenith : ndarray, shape (steps,)
        Of the sun [degrees].
    month : ndarray of int, shape (steps,)
        1 to 12.
    minutes : int
        Of the meter's intervals.

    References
    ----------
    Kaplan and Meier 1958, JASA 53; for values below a limit of detection Helsel 2012, Statistics for Censored
    Environmental Data Using Minitab and R, chapter 6.
    """
    made = np.maximum(made_kw, 0.0)
    night = import_kw[zenith >= 90.0]
    rest = float(np.quantile(night, REST_SHARE)) if night.size else 0.0
    known = _drawn(import_kw, made, UNSTEADY if minutes >= LONG else STEADIER)
    unseen = (import_kw <= NO_IMPORT * rest) & (made > rest)
    # Steps in which whatever the house draws shows: none is left out because it drew little.
    fair = (made <= rest) & ~unseen
    per_day = import_kw.size // 365
    slot = np.arange(import_kw.size) % per_day
    level = _levels(known, slot, fair, month, per_day)[month]
    hides = made * float(np.interp(minutes, *HIDDEN))
    kw = known.copy()
    for number in np.unique(slot[unseen]):
        here = np.flatnonzero(slot == number)
        drawn = _Censored.of(np.where(unseen, hides, known)[here] / level[here], ~unseen[here], rest)
        hidden = here[unseen[here]]
        mean = drawn.mean_up_to(hides[hidden] / level[hidden]) * level[hidden]
        kw[hidden] = np.minimum(np.maximum(mean, rest), made[hidden])
    return BehindImport(kw, unseen)


def _drawn(import_kw: np.ndarray, made_kw: np.ndarray, shape: float) -> np.ndarray:
    """The mean power of a house that is unsteady within an interval, from what came in of it beside a steady array."""
    # Imported where it is used: few meters ask for it, and every window would wait.
    from scipy.special import gammaincc

    # By the house's mean over what the array makes: what comes in, over the same.
    house = np.geomspace(1e-2, 1e3, 600)
    over = 1.0 / house
    came = house * (gammaincc(shape + 1.0, shape * over) - over * gammaincc(shape, shape * over))
    both = np.flatnonzero((import_kw > 0.0) & (made_kw > 0.0))
    drawn = import_kw + made_kw
    ratio = import_kw[both] / made_kw[both]
    drawn[both] = np.minimum(np.interp(ratio, came, house, right=np.inf) * made_kw[both], drawn[both])
    return drawn


def on_days_of_import(made_kw: np.ndarray, import_kw: np.ndarray, month: np.ndarray) -> np.ndarray:
    """A modelled array's days in another order within each month: the brightest where least came in by day.

    Parameters
    ----------
    made_kw, import_kw : ndarray, shape (steps of 365 days,)
        What the array makes in a usual year, and what came in in a real one [kW].
    month : ndarray of int, shape (steps,)
        1 to 12.

    Returns
    -------
    ndarray, shape (steps,)
        What it makes of each month stays.
    """
    made, came = made_kw.reshape(365, -1), import_kw.reshape(365, -1)
    of_day = month.reshape(365, -1)[:, month.size // 730]
    result = made.copy()
    for number in range(1, 13):
        days = np.flatnonzero(of_day == number)
        by_day = (came[days] * made[days].mean(axis=0)).sum(axis=1)
        result[days[np.argsort(by_day, kind="stable")]] = made[
            days[np.argsort(-made[days].sum(axis=1), kind="stable")]
        ]
    return result.ravel()


@dataclass(frozen=True, eq=False)
class _Censored:
    """Values that rise with the probability each has, of which some were only known to be no more than a limit."""

    values: np.ndarray
    shares: np.ndarray

    @classmethod
    def of(cls, values: np.ndarray, seen: np.ndarray, least: float) -> "_Censored":
        """Kaplan and Meier's estimate turned round; what lies below every limit is halfway to the least."""
        order = np.lexsort((~seen, -values))
        down, is_seen = values[order], seen[order]
        at_risk = down.size - np.arange(down.size)
        left = np.cumprod(np.where(is_seen, 1.0 - 1.0 / at_risk, 1.0))
        share = np.concatenate([[1.0], left[:-1]]) - left
        low = (least + min(float(down[-1]), max(least, float(down[-1])))) / 2.0
        return cls(np.concatenate([[low], down[::-1]]), np.concatenate([[left[-1]], share[::-1]]))

    def mean_up_to(self, limits: np.ndarray) -> np.ndarray:
        """Mean of what is no more than each limit; the limit where nothing is."""
        at = np.searchsorted(self.values, limits, side="right")
        share = np.concatenate([[0.0], np.cumsum(self.shares)])[at]
        total = np.concatenate([[0.0], np.cumsum(self.shares * self.values)])[at]
        return np.divide(total, share, out=limits.astype(float).copy(), where=share > 0.0)


def _levels(kw: np.ndarray, slot: np.ndarray, fair: np.ndarray, month: np.ndarray, per_day: int) -> np.ndarray:
    """How much more or less than in the year is drawn at the same times of each month, from 1; of 0 it is 1."""
    count = np.bincount(slot[fair], minlength=per_day)
    usual = (np.bincount(slot[fair], weights=kw[fair], minlength=per_day) / np.maximum(count, 1))[slot]
    level = np.ones(13)
    for number in range(1, 13):
        here = fair & (month == number)
        if usual[here].sum() > 0.0 and kw[here].sum() > 0.0:
            level[number] = kw[here].sum() / usual[here].sum()
    return level
