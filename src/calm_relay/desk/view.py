"""What the benches draw: a plan, the option in view, and the moment when one is shown."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from calm_relay.planning.plan import Plan
    from calm_relay.planning.verdict.option import Option, RefusedOption

LETTERS = "ABCDEFGHIJKLMNOP"


@dataclass(frozen=True, eq=False)
class View:
    """A plan with option number `shown` in view; `step` is the moment's, None for the whole year."""

    plan: "Plan"
    shown: int
    step: int | None = None

    @property
    def option(self) -> "Option | RefusedOption":
        """The option in view."""
        return self.plan.options[self.shown]

    @property
    def built(self) -> "Option | None":
        """The option in view where it can be built."""
        from calm_relay.planning.verdict.option import Option

        return self.option if isinstance(self.option, Option) else None

    @property
    def letter(self) -> str:
        """The option's letter."""
        return LETTERS[self.shown]

    @property
    def letters(self) -> str:
        """Letters of all options."""
        return LETTERS[: len(self.plan.options)]
