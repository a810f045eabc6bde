"""The screen, the papers and the command line speak as the trade does: none of the project's first words is left."""

import ast
import json
import re
from pathlib import Path

import pytest

import calm_relay
from calm_relay.exchange.shipped import DEMOS, demo_job
from calm_relay.planning.views.document import document_of
from calm_relay.planning.views.figures import SHOWS, figures_of
from calm_relay.planning.views.tables import tables_of
from tests.plans import plan

SOURCE = Path(calm_relay.__file__).parent
OLD = re.compile(
    r"\b("
    r"streets?|stores?|box(es)?|bought|sold|sells?|selling|own power|turned down|dark"
    r"|lives|lives? through|alive|house stands alone|serves best|left on the table"
    r"|pull the switch|filled? (from|in “)|filled at night|Sky|Store|Street|watch(es)?"
    r")\b",
    re.IGNORECASE,
)
HYPHEN_FOR_MINUS = re.compile(r"(?<![\w)-])-\d")
# Dark is the name of a look, dark days are dark, and a sky is what the sun stands in.
ALLOWED = re.compile(
    r"clear.sky|the sky|under its sky|open sky|against the sky|^dark$|-dark$|dark days|dark theme|in dark, out",
    re.I,
)
# What reads files of earlier versions, or of other people's programs, has to know their words.
READS_OLD_FILES = ("exchange/job_file.py", "exchange/flow_heads.py")


def told_by(path):
    """Every text of a module that is no docstring."""
    tree = ast.parse(path.read_text())
    documented = (ast.Module, ast.ClassDef, ast.FunctionDef)
    first = [node.body[0] for node in ast.walk(tree) if isinstance(node, documented) and node.body]
    docs = {id(item.value) for item in first if isinstance(item, ast.Expr)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in docs:
            yield node.lineno, node.value


def old_words(text):
    # A letter marked for the keyboard does not split a word.
    return [found[0] for found in OLD.findall(ALLOWED.sub("", text.replace("&", "")))]


def test_no_text_of_the_program_has_an_old_word():
    left = [
        f"{path.relative_to(SOURCE)}:{line}: {words} in {text!r}"
        for path in sorted(SOURCE.rglob("*.py"))
        if not str(path).endswith(READS_OLD_FILES)
        for line, text in told_by(path)
        if (words := old_words(text))
    ]
    assert not left, "\n".join(left)


@pytest.mark.parametrize("name", DEMOS)
def test_no_demo_shows_an_old_word(name):
    made = plan(demo_job(name))
    shown = [
        json.dumps(document_of(made).model_dump(mode="json")),
        json.dumps(tables_of(made), default=str),
        *(str(figures_of(made, option, station)) for option in made.live for station in SHOWS),
        *(mend.label for option in made.options for finding in option.findings for mend in finding.mends),
        made.job.model_dump_json(),
    ]
    assert not [words for text in shown if (words := old_words(text))]
    said = [finding.sentence for option in made.options for finding in option.findings]
    assert not [text for text in said if HYPHEN_FOR_MINUS.search(text)]


def test_nothing_that_ships_beside_the_code_has_an_old_word():
    for path in (*SOURCE.glob("data/**/*.json"), *SOURCE.glob("data/desktop/*"), SOURCE.parents[1] / "README.md"):
        assert not old_words(path.read_text()), path
