"""What the benches draw: a plan, the option in view, and the moment when one is shown."""

from dataclasses import dataclass

LETTERS = "ABCDEFGHIJKLMNOP"


@dataclass(frozen=True, eq=False)
class View:
    """A plan with option number `shown` in view; `step` is the moment's, None for the whole year."""

    plan: object
    shown: int
    step: int | None = None

    @property
    def option(self):
        """The option in view."""
        return self.plan.options[self.shown]

    @property
    def letter(self) -> str:
        """The option's letter."""
        return LETTERS[self.shown]

    @property
    def letters(self) -> str:
        """Letters of all options."""
        return LETTERS[: len(self.plan.options)]
