"""Each region's own words for a fuse, a board, earth and the network operator, on everything a plan tells."""

import re

import pytest
from pydantic import ValidationError

from calm_relay.desk.widgets.label import Markup
from calm_relay.exchange.shipped import demo_job, rule_packs
from calm_relay.job.rules import RegionWord, RulePack
from calm_relay.job.survey import RuleChange
from calm_relay.planning.commissioning.expected import expected_of
from calm_relay.planning.common.region_words import RegionWords, words_in
from calm_relay.planning.handover.application import application_of
from calm_relay.planning.handover.materials import materials_of
from calm_relay.planning.handover.work_order import steps_of
from calm_relay.planning.studies.growth import growth_of
from calm_relay.planning.studies.survey import entries_of
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.figures import figures_of
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import plan

STATES = rule_packs()["united-states"].words
# Common practice, no source: what none of the trade in the United States says.
NOT_SAID_THERE = re.compile(r"\b(main fuse|operator|(sub-?)?board|earth|earthing|loft|cellar)s?\b", re.IGNORECASE)


@pytest.fixture(scope="module")
def cottage():
    made = plan(demo_job("cottage"))
    return made, made.option(made.choice.key)


@pytest.mark.parametrize(
    ("written", "said"),
    [
        ("The main fuse carries 24 kW.", "The main breaker carries 24 kW."),
        ("Main fuses of two homes", "Main breakers of two homes"),
        ("Many operators count any inverter; the network operator decides.",
         "Many utilities count any inverter; the utility decides."),
        ("Cable from the main board to the backup board", "Cable from the main panel to the backup panel"),
        ("Neutral and earth, least for earthing", "Neutral and ground, least for grounding"),
        ("A dashboard, earthen and unboarded", "A dashboard, earthen and unboarded"),
    ],
)  # fmt: skip
def test_a_text_is_said_in_the_region_s_words(written, said):
    words = words_in(demo_job("cottage"), STATES)
    assert words(written) == said
    assert words(words(written)) == said


def test_what_somebody_typed_stays_as_typed():
    job = demo_job("cottage")
    first, *rest = job.backup_board.circuits
    board = job.backup_board.with_(circuits=(first.with_(name="Board room"), *rest))
    words = words_in(job.with_(backup_board=board, customer="Main Board & Earth, Inc."), STATES)
    assert words("“Board room” on the backup board") == "“Board room” on the backup panel"
    assert words("Main Board & Earth, Inc. asks the operator") == "Main Board & Earth, Inc. asks the utility"


def test_so_do_long_notes_and_very_many_names():
    other = "".join(f"{n} boards of {n * n}\n" for n in range(5000))
    assert len(words_in(demo_job("cottage").with_(notes=other), STATES).kept) <= 400
    notes = "The board by the door is the neighbour's.\n" * 2000
    words = words_in(demo_job("cottage").with_(notes=notes, customer="Board & Sons"), STATES)
    assert sum(map(len, words.kept)) < 2000
    assert words("He wrote: The board by the door is the neighbour's.").endswith(
        "The board by the door is the neighbour's."
    )
    assert words("<b>Board &amp; Sons</b> asks for a board") == "<b>Board &amp; Sons</b> asks for a panel"


def test_markup_stays_markup_and_keys_stay_keys():
    words = RegionWords((("board", "panel"),))
    assert isinstance(words(Markup("<b>board</b>")), Markup)
    assert words.of({"board": ("a board", 3, None)}) == {"board": ("a panel", 3, None)}


def told(made, option):
    """Every text that the planner tells of an option."""
    for finding in option.findings:
        yield from (finding.sentence, finding.rule, *(mend.label for mend in finding.mends))
    yield made.choice.sentence
    yield from (reason.sentence for reasons in made.choice.reasons.values() for reason in reasons)
    for station in ("Site", "Home", "Grid"):
        yield from (text for figure in figures_of(made, option, station) for text in (figure.label, figure.source))
    yield from (part.headroom.caption for part in line_of(made, option).stations if part.headroom)
    yield from (text for node in wiring_of(option.design, option.context).topology.nodes
                for text in (node.title, node.detail))  # fmt: skip
    yield from (text for step in steps_of(option) for text in (step.text, step.isolate, step.measure, step.photo))
    yield from (text for part in materials_of(option) for text in (part.article, part.note))
    yield from (text for item in expected_of(made, option, made.job.commissioning)
                for text in (item.part, item.what, item.source, item.how))  # fmt: skip
    yield from (entry.label for entry in entries_of(made))
    yield from (text for rule in application_of(option)["rules"].values() for text in (rule["says"], rule["by"]))


def test_in_the_united_states_nothing_speaks_of_a_main_fuse_or_earth(cottage):
    made, option = cottage
    texts = list(told(made, option))
    assert [text for text in texts if NOT_SAID_THERE.search(text)] == []
    whole = " ".join(texts)
    assert all(word in whole for word in ("main breaker", "utility", "panel", "ground"))
    assert growth_of(made, option) is not None


def test_names_for_the_code_are_the_same_everywhere(cottage):
    made, option = cottage
    elsewhere = plan(made.job.with_(region="generic")).option(option.key)
    one, other = (wiring_of(item.design, item.context) for item in (option, elsewhere))
    keys = {node.key for node in one.topology.nodes}
    assert keys == {node.key for node in other.topology.nodes} and "main board" in keys
    assert "Main board" in {node.title for node in other.topology.nodes}


def test_a_breaker_is_an_mcb_in_the_united_kingdom():
    made = plan(demo_job("pottery").with_(region="united-kingdom"))
    titles = {
        node.title for option in made.live for node in wiring_of(option.design, option.context).topology.nodes
    }
    assert "Consumer unit" in titles and "Main board" not in titles
    assert plan(demo_job("two-homes")).rules.words.pairs == ()


def test_a_job_that_leaves_every_rule_out_still_speaks_them():
    job = demo_job("cottage")
    none = tuple(RuleChange(rule=rule.key, limit=None) for rule in rule_packs()[job.region].rules)
    made = plan(job.with_(rule_changes=none))
    assert made.rules == () and made.rules.words.pairs
    option = made.option("hybrid-swap")
    assert "main breaker" in " ".join(told(made, option))


def test_a_pack_refuses_words_it_cannot_say():
    pack = rule_packs()["canada"].model_dump()
    with pytest.raises(ValidationError, match=r"words\.0\.word"):
        RulePack.model_validate(pack | {"words": [{"word": "solar", "said": "sun"}]})
    twice = [RegionWord(word="earth", said="ground").model_dump()] * 2
    with pytest.raises(ValidationError, match="'earth' stands twice"):
        RulePack.model_validate(pack | {"words": twice})
