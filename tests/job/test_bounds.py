"""Everything that a file can hold has a bound of its own: text, lists, numbers."""

import importlib
import pkgutil

import pytest
from pydantic import ValidationError

import calm_relay.exchange
import calm_relay.job
from calm_relay.job.base import Model


def models():
    """Every model that is read from a file."""
    for package in (calm_relay.job, calm_relay.exchange):
        for module in pkgutil.iter_modules(package.__path__):
            importlib.import_module(f"{package.__name__}.{module.name}")
    found, waiting = set(), [Model]
    while waiting:
        for kind in waiting.pop().__subclasses__():
            found.add(kind)
            waiting.append(kind)
    return sorted(
        (kind for kind in found if "plan_document" not in kind.__module__), key=lambda kind: kind.__name__
    )


def unbounded(schema, path):
    """Parts of a field's schema that may be of any size."""
    if not isinstance(schema, dict):
        return
    kind = schema.get("type")
    if kind == "string" and not {"maxLength", "pattern", "enum", "const", "format"} & set(schema):
        yield path
    if kind == "array" and not {"maxItems", "prefixItems"} & set(schema):
        yield path
    if kind in {"number", "integer"} and not {"maximum", "exclusiveMaximum", "enum", "const"} & set(schema):
        yield path
    for name in ("items", "additionalProperties"):
        yield from unbounded(schema.get(name), f"{path}[]")
    for name in ("anyOf", "oneOf", "allOf", "prefixItems"):
        for part in schema.get(name, ()):
            yield from unbounded(part, path)


def test_every_field_of_every_file_has_a_bound():
    found = {
        f"{kind.__name__}.{where}"
        for kind in models()
        for name, schema in kind.model_json_schema().get("properties", {}).items()
        for where in unbounded(schema, name)
    }
    assert len(models()) > 40
    assert found == set()


@pytest.mark.parametrize("character", ["\x00", "\x07", "\n", "\x1b", "\x7f", "\x85", "\u2028", "\ufffe"])
def test_control_characters_are_refused_at_their_field(demo, character):
    for change in (
        lambda text: demo.with_(name=text),
        lambda text: demo.with_(customer=text),
        lambda text: demo.with_face(0, name=text),
        lambda text: demo.with_(site=demo.site.with_(place=text)),
        lambda text: demo.with_(tariff=demo.tariff.with_(currency=text)),
    ):
        with pytest.raises(ValidationError, match="control character U\\+"):
            change(f"a{character}b")


def test_notes_have_lines_and_no_other_control_characters(demo):
    assert demo.with_(notes="one\n\ttwo\r\nthree").notes.count("\n") == 2
    with pytest.raises(ValidationError, match="control character U\\+0000"):
        demo.with_(notes="a\x00b")


def test_an_empty_name_of_a_face_is_refused_at_its_field(demo):
    with pytest.raises(ValidationError, match="at least 1"):
        demo.with_face(0, name="")


def test_a_fields_own_range_is_narrower_than_its_kinds_and_stays(demo):
    from calm_relay.job.demand import ScheduledLoad

    load = ScheduledLoad(name="Pump", kw=200.0, days=["mon"], start="06:00", hours=1.0)
    with pytest.raises(ValidationError, match="less than or equal to 200"):
        load.with_(kw=201.0)
    with pytest.raises(ValidationError, match="at most 120 characters"):
        demo.with_(name="x" * 121)
    with pytest.raises(ValidationError, match=r"permit: is 2e\+09; wanted less than 1e\+09"):
        demo.with_(costs=demo.costs.with_(permit=2e9))
    schema = ScheduledLoad.model_json_schema()["properties"]
    assert schema["kw"]["maximum"] == 200 and schema["name"]["maxLength"] == 60


def test_no_field_states_the_same_end_twice():
    """Of two upper ends of a field the library takes the last, and the narrower one would be lost."""
    for kind in models():
        for name, field in kind.model_fields.items():
            ends = [type(bound) for bound in field.metadata if type(bound).__module__ == "annotated_types"]
            assert len(ends) == len(set(ends)), f"{kind.__name__}.{name}: {field.metadata}"
