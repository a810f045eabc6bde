"""The plan as a JSON document with a published schema, and a year's flows as CSV."""

import csv
import io
import json
from math import isinf
from typing import Annotated, Any, ClassVar, Literal

from pydantic import AliasPath, BeforeValidator, ConfigDict, Field

from calm_relay.job.base import Model

FORMAT = "calm-relay-plan"


def _as_list(series: Any) -> Any:
    return series.tolist() if hasattr(series, "tolist") else series


def _finite(value: Any) -> Any:
    return None if isinstance(value, float) and isinf(value) else value


def _severity_word(severity: Any) -> Any:
    return getattr(severity, "name", severity).lower()


def _labels(mends: Any) -> Any:
    return tuple(getattr(mend, "label", mend) for mend in mends)


def _totals(scores: Any) -> Any:
    return {key: getattr(score, "total", score) for key, score in scores.items()}


def _stripped(steps: Any) -> Any:
    return tuple(step.strip() for step in steps)


Series = Annotated[tuple[float, ...], BeforeValidator(_as_list)]
Months = Annotated[tuple[float, ...], Field(min_length=12, max_length=12), BeforeValidator(_as_list)]
# What never comes is infinite in the plan and null in the document.
MayNeverBe = Annotated[float | None, BeforeValidator(_finite)]


class Told(Model):
    """A part of the document: figures that were worked out, of any size."""

    _bounded: ClassVar[bool] = False


class Document(Told):
    """Read from what the plan holds, attribute by attribute; an alias is where an attribute is called otherwise."""

    model_config = ConfigDict(from_attributes=True, validate_by_name=True, validate_by_alias=True)


def found_at(*path: str, **more: Any) -> Any:
    """A field whose value stands elsewhere in what the document is read from."""
    return Field(validation_alias=AliasPath(*path), **more)


class FindingDocument(Document):
    """One finding; `measured` and `limit` are in `unit`."""

    check: str
    severity: Annotated[Literal["stop", "check", "ok"], BeforeValidator(_severity_word)]
    station: str
    field: str = Field(description="Field of the job it speaks of.")
    sentence: str
    measured: float | None
    limit: float | None
    unit: str
    rule: str
    mends: Annotated[tuple[str, ...], BeforeValidator(_labels)]


class InverterDocument(Document):
    """A unit on the wall with what hangs on it."""

    key: str = found_at("inverter", "key")
    name: str = found_at("inverter", "name")
    kind: str = found_at("inverter", "kind")
    ac_kw: float = found_at("inverter", "ac_kw")
    array_kwp: float = found_at("array_kw")
    battery_nominal_kwh: float = found_at("held", "nominal_kwh", default=0.0)
    battery_usable_kwh: float = found_at("held", "usable_kwh", default=0.0)
    is_new: bool


class YearDocument(Document):
    """Energies of the simulated year [kWh] and shares [0 to 1]."""

    home_kwh: float = Field(description="With what its controlled loads take.")
    pv_dc_kwh: float = Field(description="On offer at the module side of the trackers.")
    import_kwh: float = Field(description="Off grid what the generator gives.")
    export_kwh: float
    unmet_kwh: float = Field(description="Asked and not served; 0 on the grid.")
    charge_kwh: float = Field(description="Into the battery's terminals.")
    discharge_kwh: float = Field(description="Out of the battery's terminals.")
    clipped_kwh: float
    curtailed_kwh: float
    initial_stored_kwh: float
    final_stored_kwh: float
    losses: dict[str, float] = Field(description="By name; clipped and curtailed among them.")
    self_sufficiency: float = Field(description="1 - import / home, at least 0.")
    self_use: float = Field(description="1 - export / (pv_dc - clipped - curtailed).")


class CostDocument(Document):
    """One line of the outlay."""

    label: str
    amount: float


class MoneyDocument(Document):
    """In the job's currency; savings are against the option as-is."""

    currency: str
    bill: float
    outlay: float
    lines: tuple[CostDocument, ...]
    saving: float
    payback_years: MayNeverBe = Field(
        description="Until what came in equals what went out, beyond the last year at its pace; null when never."
    )
    npv: float = Field(description="Of all that comes in and goes out over the job's years.")
    kinds: dict[str, float] = Field(
        description="The bill by what rises as one; outages: fuel of a generator that stands in for the grid."
    )
    lost: dict[str, float] = Field(description="Of the first year's saving of each kind, by the last year.")
    last_kinds: dict[str, float] = Field(description="The bill of the last year by kind, in today's prices.")
    in_outages: float = Field(
        description="Saved a year of the fuel burnt in outages, less what is not billed in them."
    )


class StageDocument(Document):
    """One stretch of a path: the year's energy out over energy in."""

    name: str
    efficiency: float


class PathsDocument(Document):
    """Energy-weighted path efficiencies; null where nothing flowed that way."""

    pv_to_home: float | None = found_at("direct")
    pv_through_battery_to_home: float | None = found_at("through_battery")
    straight: tuple[StageDocument, ...]
    by_battery: tuple[StageDocument, ...]


class BackupDocument(Document):
    """What the battery can do when the grid is down."""

    power_kw: float
    held_kwh: float
    hours: float
    lasting: float = Field(description="Share of outages of the hours wanted that are ridden through.")


class StringDocument(Document):
    """Equal strings on one tracker input."""

    inverter: str
    input: int
    face: str
    in_series: int
    parallel: int
    cold_v: float = Field(description="Open circuit on the coldest morning, of one string.")
    cold_limit_v: float
    hot_v: float = Field(description="At maximum power with the hottest cells.")
    short_circuit_a: float = Field(description="Of all strings of this row.")


class LeftOutDocument(Document):
    """Modules of a face that are on no string of a converter, and why."""

    inverter: str
    face: str
    modules: int
    reason: str


class RestringDocument(Document):
    """The work on the strings when they move to another inverter."""

    strings_before: int
    strings_after: int
    connectors_gone: int
    opened: int
    made: int
    fuses: int
    steps: Annotated[tuple[str, ...], BeforeValidator(_stripped)]


class ClippedDocument(Document):
    """Clipped energy of the year [kWh]; `by_month` without the battery."""

    without_battery_kwh: float = found_at("bare_kwh")
    with_battery_kwh: float = found_at("kept_kwh")
    caught_kwh: float
    by_month: Months
    why: str


class RatioLimitDocument(Document):
    """One limit on array power over inverter power; the first of a list binds."""

    ratio_max: float
    owner: str
    authority: str


class FaceDocument(Document):
    """A roof face: what lies there, what fits, its year, and what the horizon takes."""

    name: str
    module: str
    count: int
    fits: int | None = Field(description="Modules its measured rectangle holds; null when it was not measured.")
    rated_kwp: float
    yearly_kwh: float
    horizon_share: float


class DemandPartDocument(Document):
    """A part of the home's demand."""

    name: str
    yearly_kwh: float
    planned: bool
    source: str


class RuleDocument(Document):
    """A rule in force with its limit."""

    key: str = found_at("rule", "key")
    kind: str = found_at("rule", "kind")
    name: str = found_at("rule", "name")
    limit: float
    changed: bool
    authority: str


class UnitDocument(Document):
    """A unit on the wall and what stops with it."""

    name: str
    is_new: bool
    fails: str


class CouplingDocument(Document):
    """What an architecture means on the wall."""

    school: str
    units: tuple[UnitDocument, ...]
    roof_work: str
    counted: str = Field(description="What the network operator adds up.")


class BoundDocument(Document):
    """The year with perfect foresight, hourly, by linear program."""

    best_bill: float
    foresight_gap: float = found_at("gap", description="What the control pays more in a year.")
    by_month: Months = Field(description="Of it, month by month.")


class FadeDocument(Document):
    """The battery over the job's years; lists have an entry a year."""

    usable_left: Series = found_at("left", description="Usable energy at the year's end over usable when new.")
    by_calendar: Series = Field(description="Share that the calendar has taken by then.")
    by_cycles: Series = Field(description="Share that cycles have taken by then.")
    full_cycles: Series
    saving: Series = Field(description="In the first year's prices.")
    years_to_70_percent: float | None = found_at("years_to_end")
    warranty_ends_year: float = found_at("warranty", "ends_year")
    warranty_ends_by: Literal["years", "throughput"] = found_at("warranty", "by")
    warranty_promised: float = found_at("warranty", "promised")
    left_when_warranty_ends: float = found_at("warranty", "left_then")
    replaced_after: int | None
    npv: float
    irr: float | None = Field(description="Null where savings and outlay never change sign.")
    payback_years: float | None = Field(description="With fade and price rise; null within the horizon.")


class SurvivalDocument(Document):
    """How long the house rides through an outage from every start hour of the year, without starts of machines."""

    mean_h: float
    worst_h: float
    most_h: float = Field(description="Hours after which an outage counts as ridden through.")
    envelope_h: float = Field(description="Usable energy over the worst season's mean load behind the relay.")
    lasting: dict[str, dict[str, float]] = Field(description="Share of starts that last so many hours, by season.")


class TipDocument(Document):
    """Where the answer changes when one figure is turned; `at` is null where nothing tried changes it."""

    figure: str = found_at("knob", "key")
    today: float = found_at("knob", "today")
    at: float | None
    above: bool = found_at("rising")
    to: str | None
    sentence: str


class OffGridDocument(Document):
    """A year off grid; energies [kWh]."""

    unmet_share: float = Field(description="Of the demand.")
    unserved_hours: float
    trips: int
    generator_hours: float
    generator_starts: int
    generator_kwh: float
    litres: float
    curtailed_kwh: float
    autonomy_h: float = Field(description="Usable energy over the mean load of the worst season.")
    autonomy_mean_h: float = Field(description="A full battery without sun, mean of the year's starts.")
    autonomy_worst_h: float
    longest_unserved_h: float


class ControlledLoadDocument(Document):
    """What a controlled load took in the year [kWh]."""

    name: str
    kind: str
    taken_kwh: float
    surplus_kwh: float = Field(description="Of it what the array left.")
    lost_kwh: float = Field(description="Lost standing, of what it held.")
    short_kwh: float = Field(description="Asked for and not there.")
    battery_first: bool


class OptionDocument(Document):
    """One option; one that is refused has its reasons and no figures."""

    key: str
    title: str
    coupling: Literal["none", "AC", "DC"]
    refused: tuple[str, ...] = ()
    inverters: tuple[InverterDocument, ...] = ()
    year: YearDocument | None = None
    controlled_loads: tuple[ControlledLoadDocument, ...] = ()
    money: MoneyDocument | None = None
    paths: PathsDocument | None = None
    backup: BackupDocument | None = None
    strings: tuple[StringDocument, ...] = ()
    left_out: tuple[LeftOutDocument, ...] = ()
    restringing: RestringDocument | None = None
    clipped: ClippedDocument | None = None
    ratio_limits: tuple[RatioLimitDocument, ...] = ()
    findings: tuple[FindingDocument, ...]
    wall: CouplingDocument | None = Field(default=None, description="Null for an option that cannot be built.")
    bound: BoundDocument | None = Field(
        default=None, description="Null without a battery, and where it was not asked for."
    )
    fade: FadeDocument | None = Field(
        default=None, description="Null without a battery, and where it was not asked for."
    )
    survival: SurvivalDocument | None = Field(
        default=None, description="Null where nothing forms a grid, or not asked for."
    )
    off_grid: OffGridDocument | None = Field(default=None, description="Null on the grid.")
    largest_residual_kwh: float | None = Field(
        default=None,
        description="Largest error of any balance in any step: each DC bus, each battery, the AC bus.",
    )


class ReasonDocument(Document):
    """One sentence for or against."""

    speaks_for: bool
    purpose: str
    sentence: str


class ChoiceDocument(Document):
    """The verdict; `key` is null when no option can be built."""

    key: str | None
    close: bool
    sentence: str
    deciding: str = Field(description="Purpose that does most to put the best option before the next.")
    scores: Annotated[dict[str, float], BeforeValidator(_totals)]
    reasons: dict[str, tuple[ReasonDocument, ...]]
    holds: dict[str, float] = Field(
        description="Share of 1,000 weightings round the job's own in which each is best."
    )
    dominated: dict[str, str] = Field(description="An option that another beats in everything, and which.")


class PlanDocument(Document):
    """What `assess` writes."""

    format: Literal["calm-relay-plan"] = "calm-relay-plan"
    schema_version: Literal[4] = 4
    made_by: str
    job: str
    weather: str
    assumed_climate: bool
    demand: str
    demand_parts: tuple[DemandPartDocument, ...]
    evening_peak_kw: float
    night_kwh: float = Field(description="Sunset to sunrise on a mean night of the worst season.")
    worst_season: str
    faces: tuple[FaceDocument, ...]
    region: str
    rules: tuple[RuleDocument, ...]
    step_h: float
    options: tuple[OptionDocument, ...]
    choice: ChoiceDocument
    tips: tuple[TipDocument, ...] = Field(description="What would change the answer; empty where not asked for.")
    cautions: tuple[str, ...]


def plan_text(document: PlanDocument) -> str:
    """The document as written to disk."""
    return document.model_dump_json(indent=2) + "\n"


def schema_text(model: type[Model], title: str) -> str:
    """JSON Schema of a model as written to `docs/`."""
    schema = model.model_json_schema(by_alias=False, mode="validation")
    schema = {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": title}
    return json.dumps(schema, indent=2) + "\n"


def series_text(stamps: dict[str, list[str]], columns: dict[str, list[float]]) -> str:
    """A CSV of time stamps and flows; numbers carry 12 significant digits so that balances can be closed."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow([*stamps, *columns])
    formatted = [[f"{value + 0.0:.12g}" for value in column] for column in columns.values()]
    writer.writerows(zip(*stamps.values(), *formatted, strict=True))
    return stream.getvalue()
