"""Fields in which an item of equipment is typed; each emits `taken` with a value of the model, None when emptied."""

from dataclasses import replace

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QCompleter, QLineEdit

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.job.field_range import FieldRange, range_of
from calm_relay.job.field_words import FieldWords, choices_of, plain_type, words_of
from calm_relay.job.quantity import parse_quantity, quantity_text, with_unit
from calm_relay.planning.equipment.draft import INPUTS, MOST_INPUTS, field_at, key_of

INPUTS_WORDS = FieldWords("MPPT inputs", "", 1.0, 0)


class NumberField(QuantityField):
    """A number in the unit people read, of a field that has another: per cent of a share, per cent a degree."""

    taken = Signal(object)

    def __init__(self, words: FieldWords, span: FieldRange, *, whole: bool, parent=None):
        decimals = 0 if whole else words.decimals
        span = replace(span.times(words.scale), optional=True)
        super().__init__(words.title, words.unit, span, decimals, parent)
        self._scale, self._whole = words.scale, whole
        self.setPlaceholderText("")
        self.accepted.connect(self._on_accepted)

    def _on_accepted(self, value):
        if value is not None:
            value = round(value) if self._whole else round(value / self._scale, 12)
        self.taken.emit(value)

    def show_stated(self, value) -> None:
        """Shows what is stated, or nothing."""
        self.show_value(None if value is None else value * self._scale)

    def show_derived(self, value) -> None:
        """Shows in grey what follows from the rest."""
        self.setPlaceholderText("" if value is None else self.text_of(value * self._scale))


class EachField(QLineEdit):
    """A number for all MPPT inputs, or one for each parted by strokes: "16 A", "16 / 13"."""

    taken = Signal(object)
    refused = Signal(str)

    def __init__(self, words: FieldWords, span: FieldRange, *, whole: bool, parent=None):
        super().__init__(parent)
        self._words, self._span, self._whole = words, span, whole
        self._value = None
        self.setAccessibleName(f"{words.title}, of all inputs or parted by strokes")
        self.setToolTip(tip(f"{words.title}: one for all inputs, or one for each such as 16 / 13"))
        self.editingFinished.connect(self._on_finished)

    def _text_of(self, value) -> str:
        if not value:
            return ""
        unit = self._words.unit
        return with_unit(" / ".join(quantity_text(one, "", self._words.decimals) for one in value), unit)

    def show_stated(self, value) -> None:
        """Shows what is stated, or nothing."""
        self._value = None if value is None else tuple(value) if isinstance(value, tuple | list) else (value,)
        self.setText(self._text_of(self._value))

    def show_derived(self, value) -> None:
        """Shows in grey what follows from the rest."""
        self.setPlaceholderText("" if value is None else self._text_of(value))

    def _on_finished(self):
        text = self.text().strip()
        if text == self._text_of(self._value):
            return
        try:
            values = tuple(parse_quantity(part, self._words.unit) for part in text.split("/")) if text else None
        except ValueError as error:
            self._refuse(str(error))
            return
        wrong = next((one for one in values or () if not self._span.holds(one)), None)
        if wrong is not None or len(values or ()) > MOST_INPUTS:
            self._refuse(f"holds {text}; wanted numbers such as 16 / 13, at most {MOST_INPUTS}")
            return
        self._value = tuple(round(one) for one in values) if values and self._whole else values
        self.setText(self._text_of(self._value))
        self.taken.emit(self._value)

    def _refuse(self, problem):
        self.setText(self._text_of(self._value))
        self.refused.emit(f"{self._words.title} {problem}.")


class TextField(QLineEdit):
    """Words; of a field of keys, such as battery families, names parted by commas become keys."""

    taken = Signal(object)

    def __init__(self, words: FieldWords, *, keys: bool = False, several: bool = False, known=(), parent=None):
        super().__init__(parent)
        self._keys, self._several = keys, several
        self._value = None
        self.setAccessibleName(words.title)
        self.setToolTip(tip(f"{words.title}{': several parted by commas' if several else ''}"))
        if known:
            completer = QCompleter(sorted(known), self)
            completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
            self.setCompleter(completer)
        self.editingFinished.connect(self._on_finished)

    @staticmethod
    def _text_of(value):
        return ", ".join(value) if isinstance(value, tuple) else value or ""

    def show_stated(self, value) -> None:
        """Shows what is stated, or nothing."""
        self._value = value
        self.setText(self._text_of(value))
        self.setCursorPosition(0)

    def show_derived(self, value) -> None:
        """Shows in grey what follows from the rest."""
        self.setPlaceholderText(self._text_of(value))

    def _on_finished(self):
        text = self.text().strip()
        if text == self._text_of(self._value):
            return
        value = text or None
        if self._several and text:
            value = tuple(key_of(part) for part in text.split(",") if part.strip())
        elif self._keys and text:
            value = key_of(text)
        self.show_stated(value)
        self.taken.emit(value)


class CyclesField(QLineEdit):
    """Cycles over depth of discharge, as "80 %: 6000, 100 %: 4500"."""

    taken = Signal(object)
    refused = Signal(str)

    def __init__(self, words: FieldWords, parent=None):
        super().__init__(parent)
        self._value = None
        self.setAccessibleName("Cycles over depth of discharge")
        self.setToolTip("Depth and cycles, parted by commas, such as 80%: 6000, 100%: 4500")
        self.editingFinished.connect(self._on_finished)

    @staticmethod
    def _text_of(points):
        pairs = [
            (point["depth"], point["cycles"]) if isinstance(point, dict) else (point.depth, point.cycles)
            for point in points or ()
        ]
        return ", ".join(f"{depth * 100:g}%: {cycles:g}" for depth, cycles in pairs)

    def show_stated(self, value) -> None:
        """Shows what is stated, or nothing."""
        self._value = value
        self.setText(self._text_of(value))
        self.setCursorPosition(0)

    def show_derived(self, value) -> None:
        """Shows in grey what follows from the rest."""
        self.setPlaceholderText(self._text_of(value))

    def _on_finished(self):
        text = self.text().strip()
        if text == self._text_of(self._value):
            return
        points = []
        for part in text.replace(";", ",").split(",") if text else ():
            depth, _, cycles = part.partition(":")
            try:
                points.append({"depth": float(depth.strip(" %")) / 100.0, "cycles": float(cycles)})
            except ValueError:
                self.setText(self._text_of(self._value))
                self.refused.emit(f"Cycle life holds {part.strip()!r}; wanted such as 80%: 6000, 100%: 4500.")
                return
        self.show_stated(tuple(points) or None)
        self.taken.emit(self._value)


class OneOfField(ChoiceField):
    """One of several words, or none."""

    def __init__(self, words: FieldWords, choices, parent=None):
        super().__init__(
            words.title, ((None, ""), *((choice, choice) for choice in choices)), width=12, parent=parent
        )

    def show_stated(self, value) -> None:
        """Shows what is stated, or nothing."""
        self.show_value(value)

    def show_derived(self, value) -> None:
        """Shows what follows from the rest beside nothing."""
        self.setItemText(0, "" if value is None else f"({value})")


class YesField(QCheckBox):
    """Yes or no; what is not stated stands as the model has it."""

    taken = Signal(object)

    def __init__(self, words: FieldWords, default: bool, parent=None):
        super().__init__("yes", parent)
        self._default = default
        self.setAccessibleName(words.title)
        self.clicked.connect(lambda on: self.taken.emit(on))

    def show_stated(self, value) -> None:
        """Shows what is stated, else what the model has."""
        self.setChecked(self._default if value is None else bool(value))

    def show_derived(self, value) -> None:
        """Nothing follows for a yes or no."""


def item_field(kind: str, path: str, families=()):
    """The field in which a path of an item is typed.

    Raises
    ------
    KeyError
        When the kind has no such path.
    """
    if path == INPUTS:
        return NumberField(INPUTS_WORDS, FieldRange(1, MOST_INPUTS), whole=True)
    model, name = field_at(kind, path)
    words, holds = words_of(model, name), plain_type(model, name)
    if path.startswith("pv.tracker."):
        return EachField(words, range_of(model, name), whole=holds is int)
    if choices_of(model, name):
        return OneOfField(words, choices_of(model, name))
    if holds is bool:
        return YesField(words, bool(model.model_fields[name].default))
    if holds in (float, int):
        return NumberField(words, range_of(model, name), whole=holds is int)
    if name == "cycle_life":
        return CyclesField(words)
    keys = name in {"family", "built_in_pack", "expansion_of"}
    several = name in {"families", "optimisers", "mixes_with"}
    return TextField(words, keys=keys, several=several, known=families if name in {"family", "families"} else ())
