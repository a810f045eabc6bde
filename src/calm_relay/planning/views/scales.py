"""The measures on which options stand beside each other, each with one scale for all."""

from collections.abc import Callable
from dataclasses import dataclass

from calm_relay.planning.architecture.cost import KINDS
from calm_relay.planning.common.amounts import (
    LONGEST_YEARS,
    amount_text,
    breaks_even,
    to_two_figures,
    years_text,
)
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.operation.outcome import Money
from calm_relay.planning.plan import Plan
from calm_relay.planning.studies.clipping import clipped_year
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.verdict.purposes import MEASURES as MARKS


@dataclass(frozen=True)
class Scale:
    """One measure of every option; a value is None where the option has none.

    `texts` are the values as they are shown, units included; `yearly` says whether the figure rests on the
    weather year; `lower_is_better` is None for a figure that is only told; beyond `most` values are told alike.
    """

    key: str
    label: str
    note: str
    lower_is_better: bool | None
    yearly: bool
    values: tuple[float | None, ...]
    texts: tuple[str, ...]
    end: float | None
    most: float = float("inf")

    @property
    def top(self) -> float:
        """Right end of the scale: where the measure itself ends, else the largest finite value up to `most`."""
        if self.end is not None:
            return self.end
        finite = [min(value, self.most) for value in self.values if value is not None and value != float("inf")]
        return max([*finite, 1e-9])

    @property
    def bottom(self) -> float:
        """Left end of the scale: 0, or the lowest value where one lies below it."""
        finite = [value for value in self.values if value is not None and value != float("inf")]
        return min([*finite, 0.0])


@dataclass(frozen=True)
class _Measure:
    key: str
    label: str
    note: str
    lower_is_better: bool | None
    yearly: bool
    value: Callable[[Option, Plan], float | None]
    text: Callable[[float, str], str]
    end: float | None = None
    most: float = float("inf")


def _years(value: float, currency: str) -> str:
    return years_text(value)


def _worth(money: Money) -> float:
    return 0.0 if breaks_even(money.npv, money.outlay) else money.npv


def _percent(value: float, currency: str) -> str:
    return f"{value:.1%}"


MEASURES = (
    _Measure(
        "score",
        "Fits the purposes",
        "weighted score of 100, weights below",
        False,
        True,
        lambda option, plan: plan.choice.scores[option.key].total * 100,
        lambda value, currency: f"{value:.0f} of 100",
        100.0,
    ),
    _Measure(
        "bill",
        "Bill",
        "import, export and standing charge over the simulated year",
        True,
        True,
        lambda option, plan: option.outcome.money.bill,
        lambda value, currency: f"{amount_text(value, currency)} a year",
    ),
    _Measure(
        "outlay",
        "Outlay",
        "units, battery, labour and permits, before anything saved",
        True,
        False,
        lambda option, plan: option.outcome.money.outlay,
        amount_text,
    ),
    _Measure(
        "payback",
        "Payback",
        "years until what came in equals what went out, prices, ageing and upkeep counted, interest not",
        True,
        True,
        lambda option, plan: option.outcome.money.payback_years if option.outcome.money.outlay > 0 else None,
        _years,
        most=LONGEST_YEARS,
    ),
    _Measure(
        "worth",
        "Money over the years",
        "what comes in and goes out over the job's years as all ages, at today's worth; see the bench Money",
        False,
        True,
        lambda option, plan: _worth(option.outcome.money),
        lambda amount, currency: amount_text(to_two_figures(amount), currency),
    ),
    _Measure(
        "own",
        "Self-sufficiency",
        "share of the home's energy not imported: 1 − import/home",
        False,
        True,
        lambda option, plan: option.outcome.figures.self_sufficiency,
        _percent,
        1.0,
    ),
    _Measure(
        "evening",
        "Power in the evening",
        "what the battery gives to the home while the grid is up",
        False,
        False,
        lambda option, plan: option.outcome.limit.power_kw if option.outcome.limit else 0.0,
        lambda value, currency: f"{value:.1f} kW",
    ),
    _Measure(
        "backup",
        "Power on backup",
        "continuous power grid-down, not the pass-through figure",
        False,
        False,
        lambda option, plan: option.outcome.backup.power_kw,
        lambda value, currency: f"{value:.1f} kW",
    ),
    _Measure(
        "hours",
        "Hours on backup",
        "energy held on nine of ten night quarter-hours of the worst season, over the whole home's mean demand then",
        False,
        True,
        lambda option, plan: option.outcome.backup.hours,
        lambda value, currency: f"{value:.1f} h",
    ),
    _Measure(
        "lasting",
        "Outages ridden through",
        "share of starts of the year that last the hours wanted, with the board as wired; of a unit on one phase of "
        "three what hangs there counts",
        False,
        True,
        lambda option, plan: option.outcome.backup.kept_on,
        _percent,
        1.0,
    ),
    _Measure(
        "unmet",
        "Not served",
        "share of the demand that nobody serves; there is none on the grid",
        True,
        True,
        lambda option, plan: option.outcome.unmet,
        lambda value, currency: f"{value:.1%}",
    ),
    _Measure(
        "direct",
        "Module to home",
        "path efficiency, energy-weighted over the year",
        False,
        True,
        lambda option, plan: option.outcome.paths.direct,
        _percent,
        1.0,
    ),
    _Measure(
        "through",
        "Module, battery, home",
        "path efficiency through the battery, energy-weighted over the year",
        False,
        True,
        lambda option, plan: option.outcome.paths.through_battery,
        _percent,
        1.0,
    ),
)


# Measures that mean nothing off grid, and those that mean nothing with one; what others are called then.
ON_GRID_ONLY, OFF_GRID_ONLY = ("evening", "hours", "lasting"), ("unmet",)
# What means nothing where no power is paid for today.
SAVED_ON = ("bill", "payback")
CALLED_OFF_GRID = {
    "bill": ("Fuel", "what the generator burns over the simulated year"),
    "own": ("Self-sufficiency", "share of the home's energy that no generator makes"),
    "backup": ("Power of the grid", "what forms the grid gives without end"),
}
LOSSES = {
    "tracker": ("Tracking", "what the trackers do not find"),
    "clipped": ("Clipped", "what AC limit, trackers or currents could not take"),
    "curtailed": ("Curtailed", "what the export limit did not let out"),
    "inverter": ("Inverting", "from DC to AC"),
    "rectifier": ("Rectifying", "from AC to DC, on the way into an AC-coupled battery"),
    "dc_dc": ("DC to DC", "between the battery and its converter's DC bus"),
    "charge": ("Charging", "in the battery"),
    "discharge": ("Discharging", "in the battery"),
    "standby": ("Standby", "drawn by units that wait"),
}


@said_in_region
def loss_scales_of(plan: Plan) -> tuple[Scale, ...]:
    """Every loss of the simulated year by name, all on one scale, in the options' order [kWh a year]."""
    years = [option.outcome.figures.losses if isinstance(option, Option) else None for option in plan.options]
    end = max([*(kwh for year in years if year for kwh in year.values()), 1.0])
    return tuple(
        _summary(
            key,
            label,
            note,
            True,
            [year[key] if year else None for year in years],
            "{:,.0f} kWh",
            end,
            yearly=True,
        )
        for key, (label, note) in LOSSES.items()
    )


@said_in_region
def cost_scales_of(plan: Plan) -> tuple[Scale, ...]:
    """Every kind of cost, all on one scale, in the options' order."""
    currency = plan.job.tariff.currency
    lines = [option.outcome.money.lines if isinstance(option, Option) else None for option in plan.options]

    def spent(kind: str) -> list[float | None]:
        return [None if own is None else sum(line.amount for line in own if line.kind == kind) for own in lines]

    end = max([*(line.amount for own in lines if own for line in own), 1.0])
    return tuple(
        _summary(kind, label, "part of the outlay", True, spent(kind), f"{currency} {{:,.0f}}", end, yearly=False)
        for kind, label in KINDS.items()
        if any(spent(kind))
    )


@said_in_region
def energy_scales_of(plan: Plan) -> tuple[Scale, ...]:
    """Energies of the year, the battery's cycles, and what the operator adds up, in the options' order."""
    bare = {
        option.key: result.caught_kwh for option in plan.live if (result := clipped_year(plan, option)) is not None
    }
    of_year = (
        (
            "import",
            "Imported",
            "from the grid, or from the generator without one",
            True,
            lambda o: o.outcome.figures.import_kwh,
            "{:,.0f} kWh",
        ),
        ("export", "Exported", "to the grid", None, lambda o: o.outcome.figures.export_kwh, "{:,.0f} kWh"),
        (
            "lost",
            "Clipped and lost",
            LOSSES["clipped"][1],
            True,
            lambda o: o.outcome.figures.clipped_kwh,
            "{:,.0f} kWh",
        ),
        (
            "caught",
            "Clipped and caught",
            "what the battery takes of what would be clipped without it",
            False,
            lambda o: bare.get(o.key, 0.0),
            "{:,.0f} kWh",
        ),
        (
            "stored",
            "Through the battery",
            "out of its terminals",
            None,
            lambda o: o.outcome.figures.discharge_kwh,
            "{:,.0f} kWh",
        ),
        ("cycles", "Full cycles", "of the new battery, or the old one", None, _cycles, "{:,.0f} a year"),
        (
            "counted",
            "Operator counts",
            "AC ratings of all that can feed the bus",
            True,
            lambda o: o.design.counted_kw(plan.job.supply),
            "{:,.4g} kW",
        ),
    )
    scales = []
    for key, label, note, less, value, form in of_year:
        values = [value(option) if isinstance(option, Option) else None for option in plan.options]
        yearly = key != "counted"
        end = max([*(item for item in values if item is not None), 1e-9])
        scales.append(_summary(key, label, note, less, values, form, end, yearly=yearly))
    return tuple(scales)


def _cycles(option: Option) -> float:
    converter = option.design.battery_converter
    if converter is None:
        return 0.0
    number = option.design.converters.index(converter)
    year = option.outcome.year
    return year.kwh("discharge", number) / year.plant[number].bank.usable_kwh


@said_in_region
def purpose_scales_of(plan: Plan) -> tuple[Scale, ...]:
    """Points that each purpose gives an option: its weight, of all weights, times how well it is served."""
    weights = {purpose.kind: purpose.weight for purpose in plan.job.purposes if purpose.weight > 0}
    whole = sum(weights.values())
    scales = []
    for kind, weight in sorted(weights.items(), key=lambda item: -item[1]):
        measure = MARKS[kind]
        points = [
            plan.choice.scores[option.key].by_purpose[kind] * weight / whole * 100
            if isinstance(option, Option)
            else None
            for option in plan.options
        ]
        texts = tuple(
            "–" if value is None else f"{value:.0f} of {100 * weight / whole:.0f} points" for value in points
        )
        note = f"weight {weight:g} of {whole:g}; full marks for {measure.full_mark}"
        scales.append(Scale(kind, measure.label, note, False, True, tuple(points), texts, 100 * weight / whole))
    return tuple(scales)


def _summary(
    key: str,
    label: str,
    note: str,
    lower_is_better: bool | None,
    values: list[float | None],
    form: str,
    end: float,
    *,
    yearly: bool,
) -> Scale:
    texts = tuple("–" if value is None else form.format(value) for value in values)
    return Scale(key, label, note, lower_is_better, yearly, tuple(values), texts, end)


def compared(plan: Plan, shown: int, most: int = 5) -> tuple[int, ...]:
    """Options that stand beside each other: the one in view, as it is, and those that serve best, by number."""
    scores = plan.choice.scores
    able = {number: option for number, option in enumerate(plan.options) if isinstance(option, Option)}
    ranked = sorted(able, key=lambda n: (able[n].stopped, -scores[able[n].key].total))
    first = [n for n in (shown, 0) if n in able]
    return tuple(sorted(list(dict.fromkeys([*first, *ranked]))[:most]))


@said_in_region
def scales_of(plan: Plan) -> tuple[Scale, ...]:
    """Every measure of the plan's options, in the options' order."""
    currency, on_grid = plan.job.tariff.currency, plan.job.supply.on_grid
    scales = []
    for measure in MEASURES:
        left_out = OFF_GRID_ONLY if on_grid else ON_GRID_ONLY
        if measure.key in (left_out if plan.job.pays_for_power else (*left_out, *SAVED_ON)):
            continue
        label, note = measure.label, measure.note
        if not on_grid:
            label, note = CALLED_OFF_GRID.get(measure.key, (label, note))
        values = tuple(
            measure.value(option, plan) if isinstance(option, Option) else None for option in plan.options
        )
        texts = tuple("–" if value is None else measure.text(value, currency) for value in values)
        if measure.key == "score":
            # One that may not be built as it stands is never the best, however well it would fit.
            texts = tuple(
                f"{text} · stop" if isinstance(option, Option) and option.stopped else text
                for text, option in zip(texts, plan.options, strict=True)
            )
        scales.append(
            Scale(
                measure.key,
                label,
                note,
                measure.lower_is_better,
                measure.yearly,
                values,
                texts,
                measure.end,
                measure.most,
            )
        )
    return tuple(scales)
