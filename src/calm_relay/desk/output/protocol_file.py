"""The commissioning protocol as PDF and JSON."""

import json
from datetime import date
from html import escape
from pathlib import Path

from calm_relay import __version__
from calm_relay.desk.output.pages import paper_of, pdf_of
from calm_relay.desk.widgets.theme import LIGHT
from calm_relay.exchange.files import write_atomically
from calm_relay.planning.commissioning.judge import by_stage
from calm_relay.planning.commissioning.protocol import Protocol, document_of, setting_key

MARK = {"pass": "✓", "doubtful": "?", "fail": "✗", "cannot be judged": "?", "written down": "·", "to read": ""}
LINE = "_" * 34


def write_protocol(protocol: Protocol, path: Path, today: date) -> tuple[Path, Path]:
    """Writes the protocol; returns its two files, the PDF and the JSON beside it.

    Raises
    ------
    OSError
        When one cannot be written; neither is then left half.
    """
    path = Path(path)
    pdf = path if path.suffix.lower() == ".pdf" else path.with_name(path.name + ".pdf")
    data = pdf.with_suffix(".json")
    foot = (
        f"{protocol.job.name} · {protocol.option.title} · protocol of {today:%-d %B %Y} · Calm Relay {__version__}"
    )
    plan, title = protocol.plan, f"Protocol, {protocol.job.name}"
    content, _ = pdf_of(paper_of(plan), title, foot, 9.0, _Filled(protocol, today), words=plan.rules.words)
    text = json.dumps(document_of(protocol), ensure_ascii=False, indent=1) + "\n"
    write_atomically(pdf, content)
    write_atomically(data, text.encode())
    return pdf, data


class _Filled:
    """Fills the pages of a protocol."""

    def __init__(self, protocol: Protocol, today: date) -> None:
        self.protocol, self.today = protocol, today

    def __call__(self, pages) -> None:
        """Fills them."""
        self._head(pages)
        self._open_points(pages)
        self._readings(pages)
        self._transformers(pages)
        self._tests(pages)
        self._settings(pages)
        self._parts(pages)
        self._signed(pages)

    def _head(self, pages):
        protocol, record = self.protocol, self.protocol.record
        pages.mark("Protocol")
        pages.text(f"<h2 style='font-weight:600'>Commissioning protocol: {escape(protocol.job.name)}</h2>", 2)
        customer = f"{escape(protocol.job.customer)}, " if protocol.job.customer else ""
        pages.text(
            f"{customer}{escape(protocol.job.site.place)}. Built: <b>{escape(protocol.option.title)}</b>.", 2
        )
        when = f"{record.conditions.on or f'{self.today:%Y-%m-%d}'}, {record.conditions.at}"
        who = f" Done by {escape(record.by)}." if record.by else ""
        pages.text(f"Readings of {when}.{who}", 2)
        pages.text(f"<b>{escape(protocol.verdict)}</b>", 4)
        light = "; ".join(escape(item) for item in protocol.light)
        pages.text(f"<span class='quiet'>Light: {light}.</span>", 10)

    def _open_points(self, pages):
        points = self.protocol.open_points
        pages.head("Open points")
        if not points:
            pages.text("None.", 10)
            return
        for point in points:
            pages.text(f"☐ {escape(point)}", 2)
        pages.y += 8

    def _readings(self, pages):
        widths = (29, 20, 17, 10, 24)
        for stage, items in by_stage(self.protocol.readings).items():
            if not items:
                continue
            pages.head(stage, keep=60)
            pages.table(
                [[f"<b>{word}</b>" for word in ("Where", "What", "Expected", "Read", "Verdict")]], widths, 0
            )
            rows = []
            for item in items:
                expected = item.expected
                read = "" if item.value is None else f"{item.value:,.6g}"
                said = f"{MARK[item.verdict]} {item.verdict}".strip()
                meaning = f"<br><span class='quiet'>{escape(item.meaning)}</span>" if item.meaning else ""
                rows.append(
                    [
                        escape(expected.part),
                        escape(expected.what),
                        escape(expected.words),
                        read,
                        f"{said}{meaning}",
                    ]
                )
            pages.table(rows, widths, 10)

    def _transformers(self, pages):
        if not self.protocol.ct_sentences:
            return
        pages.head("Current transformers")
        for sentence in self.protocol.ct_sentences:
            pages.text(escape(sentence), 2)
        pages.y += 8

    def _tests(self, pages):
        record, widths = self.protocol.record, (20, 33, 15, 14, 18)
        pages.head("Functional tests")
        pages.table(
            [[f"<b>{word}</b>" for word in ("Test", "Should be seen", "Within", "Result", "Note")]], widths, 0
        )
        pages.table(
            [
                [escape(test.name), escape(test.see), escape(test.within), record.test(test.key).result,
                 escape(record.test(test.key).note)]
                for test in self.protocol.tests
            ],
            widths, 10,
        )  # fmt: skip

    def _settings(self, pages):
        record, widths = self.protocol.record, (8, 28, 30, 34)
        pages.head("Settings as keyed in")
        rows = []
        for item in self.protocol.settings:
            key = setting_key(item)
            other, tick = record.keyed_as(key), "☑" if key in record.keyed else "☐"
            said = f"<b>{escape(other)}</b>; on the sheet {escape(item.value)}" if other else escape(item.value)
            rows.append([tick, escape(item.box), escape(item.name), said])
        pages.table(rows, widths, 10)

    def _parts(self, pages):
        protocol = self.protocol
        pages.head("Serial numbers")
        pages.table([[escape(part.name), escape(part.serial) or LINE] for part in protocol.parts], (55, 45), 10)
        pages.head("Instruments")
        rows = [
            [
                escape(item.name),
                escape(item.serial),
                f"calibrated until {escape(item.calibrated)}" if item.calibrated else "",
            ]
            for item in protocol.record.instruments
        ]
        pages.table(rows or [["none stated", "", ""]], (40, 25, 35), 10)
        photos = [
            f"{escape(item.caption or item.path)} ({escape(item.path)})" for item in protocol.job.attachments
        ]
        if photos:
            pages.head("Photos")
            for photo in photos:
                pages.text(photo, 1)
            pages.y += 8

    def _signed(self, pages):
        pages.room(90)
        pages.text(f"<span style='color:{LIGHT.quiet}'>{self.protocol.caution}</span>", 16)
        pages.table(
            [[f"Installer<br><br>{LINE}", f"Customer<br><br>{LINE}"], ["Place, date", "Place, date"]], (50, 50)
        )
