"""One book of named flows and losses, which every run fills.

While a step is worked on, the figures of each converter stand in a record of `WORK`; `book` makes the flows of them.
"""

from typing import NamedTuple

import numpy as np

from calm_relay.physics.compiling import inlined, uncounted
from calm_relay.physics.plant.converter import drained_by, records

CONVERTER_FLOWS = (
    "pv_dc",
    "tracker",
    "clipped",
    "curtailed",
    "charge",
    "discharge",
    "dc_dc",
    "charge_loss",
    "discharge_loss",
    "inverter",
    "rectifier",
    "standby",
    "ac",
    "stored",
)
(
    PV,
    TRACKER,
    CLIPPED,
    CURTAILED,
    CHARGE,
    DISCHARGE,
    DC_DC,
    CHARGE_LOSS,
    DISCHARGE_LOSS,
    INVERTER,
    RECTIFIER,
    STANDBY,
    AC,
    STORED,
) = range(len(CONVERTER_FLOWS))
AC_SIDE = ("ac", "standby")
BUS_FLOWS = ("home", "import", "export")
HOME, IMPORT, EXPORT = range(len(BUS_FLOWS))
LOSSES = {
    "tracker": "tracker",
    "dc_dc": "dc_dc",
    "charge": "charge_loss",
    "discharge": "discharge_loss",
    "inverter": "inverter",
    "rectifier": "rectifier",
    "standby": "standby",
    "clipped": "clipped",
    "curtailed": "curtailed",
}


# Working figures of a converter in a step [kW]: `charge` is what PV gives the battery at the DC bus, `rectifier` what
# the rectifier gives the DC bus, `discharge` what the battery gives the DC bus, `inverter` the PV power that enters the
# inverter, `ac` is positive outward. Beside them the energy stored [kWh], the day's derating, steps an hour, and what a
# load on the DC bus still asks of it [kW]. What the battery gives such a load counts as taken from the inverter's PV,
# what the rectifier gives it as taken from the charge, so that the losses stay what they are.
STEP_FIGURES = (
    "pv",
    "tracker",
    "clipped",
    "curtailed",
    "charge",
    "discharge",
    "inverter",
    "rectifier",
    "standby",
    "ac",
)
WORK = records(
    [(name, "f8") for name in (*STEP_FIGURES, "stored", "charge_derate", "discharge_derate", "per_h", "asked")]
)


def new_work(converters: int) -> np.ndarray:
    """Room for the working figures of so many converters, records of `WORK`."""
    return np.zeros(converters, dtype=WORK)


@inlined
def begin_run(c: np.ndarray, w: np.ndarray, step_h: float) -> None:
    """Sets every battery to its initial energy."""
    for j in range(c.size):
        w[j].stored = c[j].initial * c[j].usable_kwh
        w[j].charge_derate = w[j].discharge_derate = 1.0
        w[j].per_h = 1.0 / step_h


@inlined
def begin_step(w: np.ndarray, j: int) -> None:
    """Sets the working figures of a converter to nothing."""
    w[j].pv = w[j].tracker = w[j].clipped = w[j].curtailed = 0.0
    w[j].charge = w[j].discharge = w[j].inverter = w[j].rectifier = w[j].standby = w[j].ac = w[j].asked = 0.0


class Record(NamedTuple):
    """What a run fills; an array without steps is not kept.

    Attributes
    ----------
    bus : ndarray, shape (len(BUS_FLOWS), steps)
        Home, import and export [kW].
    stored : ndarray, shape (converters, steps)
        Energy in each battery at the end of each step [kWh].
    flows : ndarray, shape (converters, len(CONVERTER_FLOWS), steps or 0)
        Mean power [kW] by name; "stored" is in kWh, "ac" is positive outward.
    sums : ndarray, shape (converters or 0, len(CONVERTER_FLOWS))
        Of every flow over the steps [kW].
    ac_side : ndarray, shape (converters, len(AC_SIDE), steps or 0)
        The flows at the AC bus alone, for runs that do not keep the others [kW].
    """

    bus: np.ndarray
    stored: np.ndarray
    flows: np.ndarray
    sums: np.ndarray
    ac_side: np.ndarray


class Scratch(NamedTuple):
    """Room in which a run works.

    Attributes
    ----------
    page : ndarray, shape (converters, len(CONVERTER_FLOWS), steps of a day or 0)
        A day's flows before they are moved into the record; no steps where no flow is kept or summed.
    spare : ndarray, shape (phases,)
        AC power left on the bus [kW].
    """

    page: np.ndarray
    spare: np.ndarray


def new_scratch(out: Record, phases: int, step_h: float) -> Scratch:
    """Room for a run that fills a record, of a house whose meter counts so many phases apart."""
    per_day = min(max(int(24.0 / step_h), 1), out.bus.shape[1])
    paged = out.flows.shape[2] > 0 or out.sums.shape[0] > 0
    return Scratch(
        np.empty((out.stored.shape[0], len(CONVERTER_FLOWS), per_day if paged else 0)), np.empty(phases)
    )


def new_record(
    converters: int, steps: int, *, flows: bool = True, sums: bool = True, ac_side: bool = False
) -> Record:
    """Room for a run's record: every flow of every step, what they add up to, those at the AC bus, as wanted."""
    kept = (converters, len(CONVERTER_FLOWS))
    return Record(
        np.empty((len(BUS_FLOWS), steps)),
        np.empty((converters, steps)),
        np.empty((*kept, steps if flows else 0)),
        np.zeros(kept if sums else (0, len(CONVERTER_FLOWS))),
        np.empty((converters, len(AC_SIDE), steps if ac_side else 0)),
    )


@inlined
def book(c: np.ndarray, w: np.ndarray, j: int, stored: float, step_h: float, page: np.ndarray, row: int) -> float:
    """Books the working figures of a converter in a row of the page; returns the energy then stored [kWh].

    A page without rows is not written: then only the bus and the energy stored are kept of a run.
    """
    ac = w[j].ac
    charge_bus = w[j].charge + w[j].rectifier
    discharge_bus = w[j].discharge
    charge = charge_bus * c[j].dc_dc_efficiency
    discharge = discharge_bus * c[j].per_dc_dc
    discharge_loss = drained_by(c, j, discharge) - discharge
    charge_loss = charge * (1.0 - c[j].charge_efficiency)
    stored += (charge - charge_loss - discharge - discharge_loss) * step_h
    if page.shape[2] == 0:
        return stored
    page[j, PV, row] = w[j].pv
    page[j, TRACKER, row] = w[j].tracker
    page[j, CLIPPED, row] = w[j].clipped
    page[j, CURTAILED, row] = w[j].curtailed
    page[j, CHARGE, row] = charge
    page[j, DISCHARGE, row] = discharge
    page[j, DC_DC, row] = charge_bus - charge + discharge - discharge_bus
    page[j, CHARGE_LOSS, row] = charge_loss
    page[j, DISCHARGE_LOSS, row] = discharge_loss
    page[j, INVERTER, row] = w[j].inverter + discharge_bus - max(ac, 0.0)
    page[j, RECTIFIER, row] = max(-ac, 0.0) - w[j].rectifier
    page[j, STANDBY, row] = w[j].standby
    page[j, AC, row] = ac
    page[j, STORED, row] = stored
    return stored


@uncounted
def turn_page(page: np.ndarray, rows: int, t: int, out: Record) -> None:
    """Moves the first rows of a page, which end before step `t`, into a record, and adds them to its sums."""
    flows, sums, first = out.flows, out.sums, t - rows
    if page.shape[2] == 0:
        return
    if out.ac_side.shape[2] > 0:
        for j in range(page.shape[0]):
            for row in range(rows):
                out.ac_side[j, 0, first + row] = page[j, AC, row]
                out.ac_side[j, 1, first + row] = page[j, STANDBY, row]
    if flows.shape[2] > 0:
        for j in range(page.shape[0]):
            for f in range(page.shape[1]):
                kept = flows[j, f, first:t]
                for row in range(rows):
                    kept[row] = page[j, f, row]
    if sums.shape[0] == 0:
        return
    fours = rows - rows % 4
    for j in range(page.shape[0]):
        for f in range(page.shape[1]):
            # Four sums that do not wait for each other.
            a, b, c, d = 0.0, 0.0, 0.0, 0.0
            for row in range(0, fours, 4):
                a += page[j, f, row]
                b += page[j, f, row + 1]
                c += page[j, f, row + 2]
                d += page[j, f, row + 3]
            for row in range(fours, rows):
                a += page[j, f, row]
            sums[j, f] += a + b + c + d
