"""Functional tests in a safe order: what is done, what should be seen, and within which time."""

from collections.abc import Iterator
from dataclasses import dataclass

from calm_relay.planning.architecture.bus_rating import arrays_on_bus
from calm_relay.planning.architecture.connections import backs_up_whole_house
from calm_relay.planning.architecture.refusals import joining_generators
from calm_relay.planning.architecture.topology import CHANGEOVER
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.common.vocabulary import vocabulary_of
from calm_relay.planning.operation.backed_up_loads import behind_relay
from calm_relay.planning.operation.fuel import stand_in
from calm_relay.planning.operation.island import CONTACTORS_HOLD_MS, forms_grid
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.grid_code import curve_of
from calm_relay.planning.verdict.option import Option

# Time after which an inverter may join the grid again; regions ask for 60 to 300 s: common practice, no source.
BACK_S = (60, 300)
# A zero-export control answers a load that is switched off within this: common practice, no source.
EXPORT_S = 5


@dataclass(frozen=True)
class FunctionalTest:
    """One test: `key` names it in the job, `do` is done, `see` is what should then be seen, `within` by when."""

    key: str
    name: str
    do: str
    see: str
    within: str
    care: str = ""


@said_in_region
def functional_tests_of(plan: Plan, option: Option) -> tuple[FunctionalTest, ...]:
    """Every test that an option's parts ask for.

    Parameters
    ----------
    plan : Plan
        Of the job.
    option : Option
        What was built.
    """
    found: list[FunctionalTest] = []
    if option.design.new_converters or option.design.converters:
        found += _start(plan, option)
    found += _export(plan, option)
    found += _windows(plan, option)
    if forms_grid(option.design.battery_converter):
        found += _outage(plan, option)
    found += _generator(plan, option)
    return tuple(found)


def _start(plan: Plan, option: Option) -> Iterator[FunctionalTest]:
    if not plan.job.supply.on_grid:
        return
    least, most = BACK_S
    yield FunctionalTest(
        "start", "Joins the grid", "Close the breakers and isolators in the order of the work order.",
        "each unit counts down, then gives power; no fault shown", f"{least} to {most} s, as its grid code says",
    )  # fmt: skip


def _export(plan: Plan, option: Option) -> Iterator[FunctionalTest]:
    limit = plan.job.tariff.export_limit_kw
    if limit is None or not plan.job.supply.on_grid:
        return
    word = "nothing goes out" if limit == 0 else f"at most {limit:g} kW goes out"
    yield FunctionalTest(
        "export limit", "Export limit holds",
        "With the array giving more than the home takes, switch off a large load (a kettle, an oven).",
        f"the meter shows that {word}, but for a moment", f"{EXPORT_S} s, or as the operator asks",
    )  # fmt: skip


def _windows(plan: Plan, option: Option) -> Iterator[FunctionalTest]:
    lead = option.design.battery_converter
    if lead is None or not plan.job.supply.on_grid or not lead.battery_moves or option.design.by_clock:
        return
    for number, window in enumerate(plan.job.battery.charge_windows, 1):
        power = f"at {window.limit_kw:g} kW at most" if window.limit_kw else "at full power"
        yield FunctionalTest(
            f"charge window {number}", f"Charge window {number} starts",
            f"Set the clock of the test, or wait, for {window.start}; charge below {window.target:.0%}.",
            f"the battery charges from the grid, {power}, and stops at {window.target:.0%}", "1 min after its start",
            "the target lies above the present charge only for this test",
        )  # fmt: skip
    if plan.job.control.by_price is not None:
        yield FunctionalTest(
            "charge by price", "Charging by price starts",
            "Look up the cheapest hours of today in the unit's portal; wait for the first of them, or move the clock.",
            "the portal shows the tariff's prices of today and tomorrow, and the battery charges in those hours",
            "1 min after its start", "before tomorrow's prices are out it goes by today's",
        )  # fmt: skip


def _outage(plan: Plan, option: Option) -> Iterator[FunctionalTest]:
    job, lead = plan.job, option.design.leader
    backup = lead.backup
    fed = behind_relay(option.design, job, plan.demand)
    names = ", ".join(f"“{name}”" for name in fed.names[:4]) + (
        f" and {len(fed.names) - 4} more" if len(fed.names) > 4 else ""
    )
    if job.supply.on_grid:
        by_hand = backup.transfer_ms >= 1000.0
        slow = backup.transfer_ms > CONTACTORS_HOLD_MS
        seen = "lights stay; machines drop out and start again" if slow else "these stay on"
        care = "nobody in the lift, no computer at work, medical devices on their own supply"
        rest = "" if backs_up_whole_house(option.design, job) else "; the rest of the house is off"
        yield FunctionalTest(
            "transfer", "Goes over to backup", "Open the main switch ahead of the changeover while loads run.",
            f"{seen}: {names}{rest}" if fed.names else "the backup output has its voltage",
            f"{backup.transfer_ms / 1000:g} s{', by hand' if by_hand else ''}"
            if backup.transfer_ms >= 1000.0
            else f"{backup.transfer_ms:g} ms",
            care,
        )  # fmt: skip
        yield FunctionalTest(
            "separation", "Nothing goes back to the grid",
            f"Still on backup, measure at the grid side of the {CHANGEOVER}.", "0 V between all conductors", "at once",
            "prove the tester first",
        )  # fmt: skip
    alone = vocabulary_of(job.supply).while_it_forms
    if backup.black_start:
        yield FunctionalTest(
            "black start", "Starts from black", f"{alone}, stop the unit by its menu, wait till it is dead, start it.",
            "it forms its voltage by itself, without grid or array", "2 min, or as its datasheet says",
        )  # fmt: skip
    yield from _throttle(plan, option)
    board = job.backup_board
    for circuit in board.circuits if board is not None else ():
        if circuit.role == "shed":
            always = circuit.shed_below >= 1.0
            raised = f"{alone}, set the threshold above the present charge ({circuit.shed_below:.0%} after)."
            yield FunctionalTest(
                f"shed {circuit.name}", f"“{circuit.name}” is shed",
                "Go over to backup." if always else raised,
                "its circuit is off, the others stay", "30 s",
            )  # fmt: skip
    if job.supply.on_grid:
        least, most = BACK_S
        yield FunctionalTest(
            "return", "Goes back to the grid", "Close the main switch.",
            "the home goes back without a trip; the arrays join later", f"{least} to {most} s",
        )  # fmt: skip


def _throttle(plan: Plan, option: Option) -> Iterator[FunctionalTest]:
    lead = option.design.leader
    beside = arrays_on_bus(option.design, plan.job.supply)
    if not beside and not lead.has_array:
        return
    alone = vocabulary_of(plan.job.supply).while_it_forms
    if not beside:
        yield FunctionalTest(
            "throttling", "Holds its array back when full",
            f"{alone}, in sun, with the battery above 95% and few loads.",
            "its array gives what the loads take; volts stay", "10 s",
        )  # fmt: skip
        return
    how, curve = lead.backup.throttles_ac_pv, curve_of(plan.job)
    seen = {
        "frequency": f"frequency rises above {curve.start_hz:g} Hz, arrays give less; none at {curve.nothing_hz:g} Hz",
        "relay": "the relay takes the arrays off the backup board",
        "data link": "the arrays are held back over the data cable, frequency stays",
        "none": "the arrays must be off: nothing holds them back",
    }[how]
    yield FunctionalTest(
        "throttling", "AC-coupled arrays are held back when full",
        f"{alone}, in sun, with the battery above 95%, switch the loads off one after the other.",
        f"{seen}; no overvoltage, no fault", "10 s", "stop the test when volts rise above 10% of nominal",
    )  # fmt: skip


def _generator(plan: Plan, option: Option) -> Iterator[FunctionalTest]:
    by_hand = stand_in(plan.job)
    if by_hand is not None and any(unit.has_array or unit.has_battery for unit in option.design.converters):
        yield FunctionalTest(
            "generator by hand", f"Nothing feeds into {by_hand.name}",
            f"Start {by_hand.name} and switch over to it by hand, in sun.",
            "it carries the house; arrays and batteries stay off, no power flows back into it", "at once",
            "exhaust outdoors; stop it when power flows back",
        )  # fmt: skip
    joining = [item for item in joining_generators(option.design, plan.job) if item is not None]
    if not joining or option.design.battery_converter is None:
        return
    for number, generator in enumerate(joining):
        yield FunctionalTest(
            f"generator start{f' {number + 1}' if number else ''}", f"{generator.name} starts by itself",
            f"Set its start above the present charge ({generator.start_below:.0%} after)"
            f"{', grid off' if plan.job.supply.on_grid else ''}.",
            f"it starts, warms up and takes the load; stops above {generator.stop_above:.0%}", "2 min",
            "exhaust outdoors, nobody at its terminals",
        )  # fmt: skip
    if plan.job.supply.on_grid:
        yield FunctionalTest(
            "generator interlock", "Generator and grid never meet",
            "With the generator running, close the main switch.",
            "grid and generator are never on the same bars", "at once",
        )  # fmt: skip
    backup = option.design.leader.inverter.backup
    if any(item.interlocked for item in joining) or (backup is not None and backup.keeps_arrays_apart):
        yield FunctionalTest(
            "generator and arrays", "AC-coupled arrays stay off the generator", "With the generator running, in sun.",
            "the contactor holds the AC-coupled arrays off its bars", "at once",
        )  # fmt: skip
