"""Regional rules as dated data: limits that a user can change, never law."""

from typing import Literal, Self

from pydantic import Field, model_validator

from calm_relay.job.base import Identifier, Line, Model, Name, NotNegative
from calm_relay.job.circuit_kinds import Phases
from calm_relay.job.rooms import Room

RuleKind = Literal[
    "array ratio",
    "array volts",
    "branch share",
    "notify kW per phase",
    "notify kW",
    "fast track kW per phase",
    "fast track kW",
    "export kW",
    "export kW per phase",
    "new array export share",
    "controllable kW",
    "unbalance kW",
    "busbar share",
    "plug-in kW",
    "dwelling share",
    "existing dwelling share",
    "area dwelling share",
    "service share",
    "string drop",
    "battery drop",
    "AC drop",
    "voltage rise",
    "continuous factor",
    "array shutdown volts",
    "arc fault volts",
    "battery kWh",
    "battery clearance m",
    "battery barrier m",
    "battery shutdown kWh",
]
UNITS: dict[str, str] = {
    "array ratio": "kWp/kW",
    "array volts": "V",
    "branch share": "of the breaker",
    "notify kW per phase": "kW a phase",
    "notify kW": "kW",
    "fast track kW per phase": "kW a phase",
    "fast track kW": "kW",
    "export kW": "kW",
    "export kW per phase": "kW a phase",
    "new array export share": "of the new array",
    "controllable kW": "kW",
    "unbalance kW": "kW",
    "busbar share": "of the busbar",
    "plug-in kW": "kW",
    "dwelling share": "of the rest",
    "existing dwelling share": "of the rest",
    "area dwelling share": "of other loads",
    "service share": "of the main fuse",
    "string drop": "of the voltage",
    "battery drop": "of the voltage",
    "AC drop": "of the voltage",
    "voltage rise": "of the voltage",
    "continuous factor": "times the current",
    "array shutdown volts": "V",
    "arc fault volts": "V",
    "battery kWh": "kWh",
    "battery clearance m": "m",
    "battery barrier m": "m",
    "battery shutdown kWh": "kWh",
}


class Rule(Model):
    """One limit: what it applies to, whose it is, the clause, and the date at which it was written down."""

    key: Identifier
    kind: RuleKind
    limit: NotNegative
    name: Name
    applies_to: Line
    phases: Phases | None = Field(default=None, description="Supplies it applies to; None: all.")
    rooms: tuple[Room, ...] = Field(
        default=(), max_length=20, description="Where the battery stands for it to apply; none: anywhere."
    )
    authority: Line
    clause: Line
    dated: str = Field(pattern=r"^\d{4}-\d{2}(-\d{2})?$")
    from_memory: bool = Field(default=True, description="Quoted from memory of the source.")

    @property
    def summary(self) -> str:
        """Authority, clause and date, and that it wants checking."""
        memory = ", quoted from memory" if self.from_memory else ""
        return f"{self.authority}, {self.clause}, {self.dated}{memory}; check locally"


# What regions call by other names; the rest of the trade's words are the same everywhere.
Term = Literal[
    "main fuse",
    "network operator",
    "operator",
    "main board",
    "backup board",
    "sub-board",
    "board",
    "earth",
    "earthing",
    "breaker",
    "the service",
    "cellar",
    "loft",
]


class RegionWord(Model):
    """What a region says for one of the plan's words."""

    word: Term
    said: Line = Field(min_length=2, max_length=40)


class RulePack(Model):
    """The rules of one region, and its own words."""

    key: Identifier
    name: Name
    wires: Identifier = Field(default="iec", description="Tables of wires that the region goes by.")
    rules: tuple[Rule, ...] = Field(max_length=500)
    words: tuple[RegionWord, ...] = Field(default=(), max_length=50)

    @model_validator(mode="after")
    def _keys_are_single(self) -> Self:
        keys = [rule.key for rule in self.rules]
        if len(set(keys)) != len(keys):
            raise ValueError("rules: a key stands twice")
        words = [item.word for item in self.words]
        twice = next((word for word in words if words.count(word) > 1), None)
        if twice is not None:
            raise ValueError(f"words: {twice!r} stands twice; wanted each once")
        return self
