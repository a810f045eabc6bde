"""Words that differ between a house on the grid and one off it, in one place each."""

from dataclasses import dataclass

from calm_relay.job.model import Supply


@dataclass(frozen=True)
class Vocabulary:
    """How things are called: in sentences, in a line of the command line, and on the desk.

    `bill` is what a year costs, `bill_word` the same in one word, `import_word` what is taken from outside,
    `imported` that it was,
    `staying_on` what an outage leaves on, `while_it_forms` that a unit forms the grid alone,
    `in_an_outage` and `after_a_flat_battery` begin or stand in a sentence, `supply_back` that another supply returns,
    `shed` says that circuits are not fed, `not_backed_up` what a circuit on the grid side is; `begin`, `begin_at`,
    `formed_power` and `circuits` are fields of the desk.
    """

    bill: str
    bill_word: str
    import_word: str
    imported: str
    staying_on: str
    on_backup: str
    while_it_forms: str
    in_an_outage: str
    trips: str
    after_a_flat_battery: str
    supply_back: str
    shed: str
    nothing_forms: str
    not_backed_up: str
    begin: str
    begin_at: str
    formed_power: str
    circuits: str


ON_GRID = Vocabulary(
    bill="The bill",
    bill_word="bill",
    import_word="import",
    imported="imported",
    staying_on="What stays on in an outage",
    on_backup="On backup",
    while_it_forms="On backup",
    in_an_outage="in an outage ",
    trips="It trips in an outage.",
    after_a_flat_battery="In an outage, after a flat battery",
    supply_back="the grid comes back",
    shed="Shed {} in an outage",
    nothing_forms="off with the grid",
    not_backed_up="on the grid side only",
    begin="Start the outage",
    begin_at="Outage from",
    formed_power="Power on backup at least",
    circuits="Backed-up loads",
)
OFF_GRID = Vocabulary(
    bill="The generator's fuel",
    bill_word="fuel",
    import_word="generator",
    imported="asked of the generator",
    staying_on="What is fed",
    on_backup="What is fed",
    while_it_forms="With no generator running",
    in_an_outage="",
    trips="It trips.",
    after_a_flat_battery="After a flat battery",
    supply_back="a generator takes over",
    shed="Never feed {}",
    nothing_forms="off",
    not_backed_up="never fed",
    begin="Rehearse",
    begin_at="From",
    formed_power="Power formed at least",
    circuits="Circuits",
)


def vocabulary_of(supply: Supply) -> Vocabulary:
    """The words for a supply."""
    return ON_GRID if supply.on_grid else OFF_GRID
