"""What a night in an outage and the map of every start come to, in words and rows."""

from calm_relay.desk.widgets.wording import keep_units
from calm_relay.physics.plant.island_figures import SERVING
from calm_relay.planning.studies.survival import LASTING_H

LASTING = tuple(f"{hours} h" for hours in LASTING_H)
SEASONS_HEADS = ("Chance to last", *LASTING)
EVERY_HEADS = ("", "Option", "Mean", "Worst", f"Lasts {LASTING[0]}", *LASTING[1:], "Envelope")
EVERY_START = "every start hour of the simulated year, without starts"
NOT_BUILT = "This option cannot be built: nothing to rehearse."
NO_SUPPLY = "Nothing here forms a grid, or no circuit is backed up: the house is without supply at once."


def verdict_of(option, run) -> str:
    """What ended a night, or why there is none; `option` is None where it cannot be built."""
    if run is None:
        return NOT_BUILT if option is None else NO_SUPPLY
    return keep_units(run.ended_by)


def more_of(job, run) -> str:
    """How a night went: carried over, shed, curtailed, tripped, the generator."""
    if run is None:
        return ""
    summary = [f"Carried over in {run.transfer_ms:g} ms."] if job.supply.on_grid else []
    if run.covered:
        summary.append("Nothing comes from the array.")
    through = run.served_h is None
    shed = [name for name, on in zip(run.names, run.on.T, strict=True) if through and not on.all()]
    if shed:
        summary.append(f"Shed for a while: {', '.join(shed)}.")
    hz, rest = float(run.frequency_hz.max()), float(run.frequency_hz.min())
    if hz > rest + 0.01:
        summary.append(f"The array on the AC bus is curtailed by frequency, up to {hz:.1f} Hz.")
    if not through:
        summary.append(_comes_back(run))
    if run.trips:
        summary.append(f"Tripped {run.trips} time{'s' * (run.trips > 1)}.")
    running = job.running_generators
    burnt = run.litres_by_generator(job)
    for item, given, litres in zip(running, run.run.by_generator, burnt, strict=False):
        hours = float((given > 0).sum() * run.step_h)
        tank = item.tank_litres
        filled = f", more than the {tank:g} l of its tank: it must be filled" if tank and litres > tank else ""
        runs = f"runs {hours:.1f} h and burns {litres:.1f} l{filled}"
        name = "The generator" if len(running) == 1 else item.name
        summary.append(f"{name} {runs if hours > 0 else 'stays off'}.")
    return keep_units(" ".join(summary))


def _comes_back(run):
    """When the house has supply again, and how long it has none in all where that is longer."""
    first = round(run.served_h / run.step_h)
    serving = run.state[first:] == SERVING
    if not serving.any():
        return "It stays off to the end."
    gap, off = int(serving.argmax()), int((~serving).sum())
    again = f"Supplied again {_long(gap * run.step_h)} later"
    return f"{again}." if off == gap else f"{again}; in all {_long(off * run.step_h)} without supply."


def _long(hours: float) -> str:
    minutes = round(hours * 60.0)
    return f"{hours:.1f} hours" if hours >= 2 else f"{minutes} minute{'s' * (minutes != 1)}"


def minute_of(run, at, clock) -> str:
    """One minute of a night."""
    parts = [f"{run.served_kw[at]:.1f} kW fed", f"battery {run.stored_kwh[at] / run.usable_kwh:.0%} full"]
    array = run.pv_used_kw[at]
    parts.append(f"array {array:.1f} kW used")
    if run.generator_kw[at] > 0:
        parts.append(f"generator {run.generator_kw[at]:.1f} kW")
    return f"{clock.astype(object):%H:%M}: {', '.join(parts)}"


def survival_summary(result) -> str:
    """What the map says beside the back of an envelope; None where nothing stays on."""
    if result is None:
        return "Nothing here rides through any outage."
    lasting = f"Mean {result.hours.mean():.0f} h, worst {result.hours.min():.1f} h"
    if result.hours.min() >= result.most_h:
        lasting = f"Every start rides through the {result.most_h:.0f} h that are tried"
    return keep_units(
        f"{lasting}, without machines' starts; on the back of an envelope, usable energy over the worst season's "
        f"mean load: {result.envelope_h:.1f} h."
    )


def season_rows(result) -> list[tuple[str, ...]]:
    """Chances to last by season, under `SEASONS_HEADS`."""
    return [
        (season, *(f"{share:.0%}" for share in lasting.values())) for season, lasting in result.lasting.items()
    ]


def option_rows(every, letters, titles) -> list[tuple[str, ...]]:
    """Every option's map in a row, under `EVERY_HEADS`; `letters` and `titles` hold the options' by key."""
    return [
        (
            letters[key],
            titles[key],
            f"{result.hours.mean():.0f} h",
            f"{result.hours.min():.1f} h",
            *(f"{(result.hours >= hours).mean():.0%}" for hours in LASTING_H),
            f"{result.envelope_h:.1f} h",
        )
        for key, result in every.items()
    ]
