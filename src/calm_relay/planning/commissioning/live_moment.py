"""What flows now as the line shows it: live power on every leg."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np

from calm_relay.physics.plant.year import PlantYear
from calm_relay.planning.commissioning.planned_now import year_step
from calm_relay.planning.common.amounts import figure_text
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.plan import Plan
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.views.energy_path import Headroom
from calm_relay.planning.views.moment import Moment

# An array that gives less than this share of what its light should make wants a look, unless it is held back.
LOW = 0.8


@dataclass(frozen=True)
class UnitFlows:
    """A unit now: its array's power, its AC side outward, its battery's while it discharges [kW]; the charge."""

    pv_kw: float
    ac_kw: float
    battery_kw: float
    soc: float | None


@dataclass(frozen=True, eq=False)
class LiveState:
    """A site now: units in the design's order, meter and home [kW] (None: not said), the brightest face [W/m2].

    `expected_kw` is what all strings should give in this light, `planned` what the plan would do with it now, and
    None while the home's load is not known; `usual_kw` is what the home takes at this hour in the plan's year.
    """

    plan: Plan
    option: Option
    at: datetime
    units: tuple[UnitFlows, ...]
    meter_kw: float | None
    home_kw: float | None
    light: float
    expected_kw: float = 0.0
    planned: PlantYear | None = None
    usual_kw: float = 0.0


def live_moment(state: LiveState | None) -> Moment | None:
    """What the line shows of a site; None of one that is silent."""
    if state is None:
        return None
    design, plan = state.option.design, state.plan
    legs = {"light": state.light}
    bars: dict[str, Headroom] = {}
    roof = state.option.topology.roof_units
    for together in state.option.path_units:
        lead = together[0]
        units = [state.units[number] for number in together]
        pv, ac, given = (
            sum(values) for values in zip(*((u.pv_kw, u.ac_kw, u.battery_kw) for u in units), strict=True)
        )
        legs |= {f"{lead}:roof": pv, f"{lead}:strings": pv, f"{lead}:ac": ac, f"{lead}:battery": -given}
        rated = sum(design.converters[number].inverter.ac_kw for number in together)
        name = "Inverter" if lead in roof else "Battery inverter"
        words = f"{ac:.1f} of {rated:.3g} kW live".replace("-0.0", "0.0")
        if state.planned is not None:
            words = (
                f"{figure_text(ac, 1)} kW live, {figure_text(_planned(state.planned, 'ac', together), 1)} expected"
            )
        bars[name] = Headroom(abs(ac), rated, words, Severity.OK)
        charge = next((unit.soc for unit in units if unit.soc is not None), None)
        if charge is not None:
            words = f"{charge:.0%} full, live"
            if state.planned is not None:
                wanted = _planned(state.planned, "discharge", together)
                wanted -= _planned(state.planned, "charge", together)
                words = f"{charge:.0%} full, {_beside(_giving, given, wanted)}"
            bars["Battery"] = Headroom(charge, 1.0, words, Severity.OK)
    made = sum(unit.pv_kw for unit in state.units)
    if state.expected_kw > 0.05:
        low = made < LOW * state.expected_kw
        words = f"{made:.1f} kW live, {state.expected_kw:.1f} expected"
        bars["Roof"] = Headroom(made, state.expected_kw, words, Severity.CHECK if low else Severity.OK)
    home = state.home_kw if state.home_kw is not None else sum(unit.ac_kw for unit in state.units)
    legs["home"], legs["grid"] = home, -(state.meter_kw or 0.0)
    words = f"{figure_text(home, 1)} kW live, {state.usual_kw:.1f} usual now"
    bars["Home"] = Headroom(max(home, 0.0), float(plan.demand.kw.max()), words, Severity.OK)
    if state.meter_kw is not None:
        words = f"{_direction(state.meter_kw)}, live"
        if state.planned is not None:
            net = float(state.planned.at_bus("import")[0] - state.planned.at_bus("export")[0])
            words = _beside(_direction, state.meter_kw, net)
        fuse = plan.job.supply.import_limit_kw
        bars["Grid"] = Headroom(abs(state.meter_kw), fuse, words, Severity.OK)
    calendar = plan.site.calendar
    utc = np.datetime64(state.at.astimezone(UTC).replace(tzinfo=None), "s")
    step = year_step(plan, state.at)
    return Moment(step, utc + (calendar.wall[step] - calendar.utc[step]), legs, bars)


def _planned(year: PlantYear, flow: str, numbers: Sequence[int]) -> float:
    """A flow of some converters in the one step that was planned [kW]."""
    return sum(float(year.of(flow, number)[0]) for number in numbers)


def _beside(said: Callable[[float], str], live: float, expected: float) -> str:
    """Power and which way it flows beside what is expected, whose direction is told where it is another."""
    same = live * expected >= 0.0 or abs(expected) < 0.05
    return f"{said(live)}, {f'{abs(expected):.1f}' if same else said(expected)} expected"


def _giving(kw: float) -> str:
    """Power of a battery and which way it flows."""
    return f"{'giving' if kw >= 0.0 else 'charging'} {abs(kw):.1f} kW"


def _direction(kw: float) -> str:
    """Power at the meter and which way it flows."""
    return f"{abs(kw):.1f} kW {'imported' if kw >= 0.0 else 'exported'}"
