"""Every limit that a string or an input meets, stated once: refusals, findings, ladders and the planner read them."""

from dataclasses import dataclass
from functools import lru_cache
from math import ceil, floor

from calm_relay.job.equipment import ISC_FACTOR, Module, Optimiser, Tracker
from calm_relay.physics.strings import cold_open_circuit_v, cold_table_factor, hot_max_power_v
from calm_relay.planning.common.severity import Severity

COLD, COLD_BY_TABLE, HOT, START = "cold voltage", "cold voltage by table", "hot voltage", "start voltage"
HOT_MARGIN, FULL_POWER, TRACKING_END = "hot margin", "full power", "tracking end"
SHORT_CIRCUIT, USABLE = "short-circuit current", "usable current"
# At which cells stand in full sun on an ordinary day: common practice, no source.
RATED_CELL_C = 50.0
# How far the hottest string should stay above the tracker's lower edge: common practice, no source.
MARGIN = 1.05
ROUNDING = 1e-9


@dataclass(frozen=True)
class SiteLimit:
    """Highest array voltage the region's rules allow on this site [V], and whose rule it is."""

    volts: float
    owner: str


NO_SITE_LIMIT = SiteLimit(float("inf"), "")


@dataclass(frozen=True)
class VoltageLimit:
    """A limit on the voltage of modules in series.

    Attributes
    ----------
    key : str
        Which voltage is held: `COLD`, `COLD_BY_TABLE`, `HOT`, `START`, `HOT_MARGIN`, `FULL_POWER`, `TRACKING_END`.
    each_v : float
        What each module in series adds [V].
    limit_v : float
        What it is held against [V].
    owner : str
        Whose limit it is.
    floor : bool
        Whether the voltage must not fall below it, rather than not rise above.
    severity : Severity
        What missing it means.
    """

    key: str
    each_v: float
    limit_v: float
    owner: str
    floor: bool
    severity: Severity

    def volts(self, in_series: int) -> float:
        """Voltage of so many modules in series [V]."""
        return in_series * self.each_v

    def missed(self, in_series: int) -> bool:
        """Whether so many modules in series miss it."""
        volts = self.volts(in_series)
        return volts < self.limit_v if self.floor else volts > self.limit_v

    @property
    def fewest(self) -> int:
        """Fewest modules in series that meet it."""
        if not self.floor:
            return 1
        return ceil(self.limit_v / self.each_v - ROUNDING)

    @property
    def most(self) -> float:
        """Most modules in series that meet it; infinite for a floor."""
        return float("inf") if self.floor else floor(self.limit_v / self.each_v + ROUNDING)


@dataclass(frozen=True)
class CurrentLimit:
    """A limit on what the strings of an input give together [A], whose it is, and what passing it means."""

    key: str
    amps: float
    limit_a: float
    owner: str
    severity: Severity

    @property
    def missed(self) -> bool:
        """Whether they give more."""
        return self.amps > self.limit_a + ROUNDING


@lru_cache(maxsize=512)
def voltage_limits(
    module: Module,
    tracker: Tracker,
    cold_c: float,
    hot_c: float,
    site: SiteLimit = NO_SITE_LIMIT,
    optimiser: Optimiser | None = None,
) -> tuple[VoltageLimit, ...]:
    """Limits on a string's voltage, those that stop it before those that cost something.

    Parameters
    ----------
    module : Module
        What the string is made of.
    tracker : Tracker
        The input it hangs on.
    cold_c, hot_c : float
        Coldest and hottest cell in daylight [°C].
    site : SiteLimit
        What the region's rules allow.
    optimiser : Optimiser, optional
        Where there is one under each module it stands for the input, and a string counts as one module.
    """

    def open_v(cell_c: float) -> float:
        return float(cold_open_circuit_v(module.open_circuit_v, module.voc_per_c, 1, cell_c))

    def working_v(cell_c: float) -> float:
        return float(hot_max_power_v(module.max_power_v, module.vmp_per_c, 1, cell_c))

    if optimiser is None:
        ends = min(
            (tracker.max_v, "inverter, maximum input voltage"),
            (module.system_voltage_v, f"{module.name}, system voltage"),
            (site.volts, site.owner),
            key=lambda end: end[0],
        )
        low_v, full_v, high_v = tracker.mppt_low_v, tracker.full_power_low_v, tracker.mppt_high_v
        start_v, sheet = tracker.start_v, "inverter, datasheet"
    else:
        ends = optimiser.max_v, f"{optimiser.name}, highest input voltage"
        low_v = full_v = start_v = optimiser.mppt_low_v
        high_v, sheet = optimiser.mppt_high_v, f"{optimiser.name}, datasheet"
    cold_v, hot_v, stop, watch = open_v(cold_c), working_v(hot_c), Severity.STOP, Severity.CHECK
    limits = [
        VoltageLimit(COLD, cold_v, *ends, False, stop),
        VoltageLimit(HOT, hot_v, low_v, sheet, True, stop),
        VoltageLimit(START, open_v(hot_c), start_v, sheet, True, stop),
        VoltageLimit(HOT_MARGIN, hot_v, low_v * MARGIN, sheet, True, watch),
        VoltageLimit(FULL_POWER, working_v(RATED_CELL_C), full_v, sheet, True, watch),
        VoltageLimit(TRACKING_END, working_v(cold_c), high_v, sheet, False, watch),
    ]
    if module.technology != "thin film" and cold_c >= -40:
        table_v = module.open_circuit_v * cold_table_factor(cold_c)
        limits.append(VoltageLimit(COLD_BY_TABLE, table_v, *ends, False, watch))
    return tuple(limits)


# Light on the back of a bifacial module in the open over that on its front, at the nameplate's own reference: IEC TS
# 60904-1-2, 135 W/m2. Close to a roof hardly any reaches it.
REAR_SHARE = 0.135


def rear_gain(module: Module, mounting: str) -> float:
    """What light on its back adds to a module's current, as a factor."""
    return 1.0 + REAR_SHARE * module.bifaciality if mounting == "open rack" else 1.0


def current_limits(short_circuit_a: float, working_a: float, tracker: Tracker) -> tuple[CurrentLimit, ...]:
    """Limits on what the strings of an input give together [A].

    Parameters
    ----------
    short_circuit_a : float
        Sum of their rated short-circuit currents, with what light on the back adds; `ISC_FACTOR` comes on top.
    working_a : float
        Sum of their currents at maximum power.
    tracker : Tracker
        The input they hang on.

    References
    ----------
    IEC 62548-1:2023, 7.2.4.2 (from memory); NEC 690.8(A)(1).
    """
    sheet = "inverter, datasheet"
    return (
        CurrentLimit(SHORT_CIRCUIT, ISC_FACTOR * short_circuit_a, tracker.short_circuit_a, sheet, Severity.STOP),
        CurrentLimit(USABLE, working_a, tracker.usable_a, sheet, Severity.CHECK),
    )


def lengths_allowed(module: Module, tracker: Tracker, cold_c: float, hot_c: float, site: SiteLimit) -> range:
    """Modules in series that pass every hard voltage check on an input; empty when none does.

    On the cold side the stricter of coefficient and table counts, so that neither method refuses the layout.
    """
    limits = voltage_limits(module, tracker, cold_c, hot_c, site)
    held = [limit for limit in limits if limit.severity is Severity.STOP or limit.key == COLD_BY_TABLE]
    if any(limit.each_v <= 0 for limit in held):
        return range(0)
    return range(max(limit.fewest for limit in held), int(min(limit.most for limit in held)) + 1)
