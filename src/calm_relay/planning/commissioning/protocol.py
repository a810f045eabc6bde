"""The commissioning protocol: readings, conditions, verdicts, tests, instruments and open points, as one document."""

from dataclasses import dataclass
from datetime import date
from typing import Any

from calm_relay import __version__
from calm_relay.job.commissioning import Commissioning
from calm_relay.job.logbook import Handover
from calm_relay.job.model import Job
from calm_relay.planning.commissioning.conditions import moment_utc
from calm_relay.planning.commissioning.ct_assistant import ct_finding
from calm_relay.planning.commissioning.expected import lights_of
from calm_relay.planning.commissioning.functional_tests import FunctionalTest, functional_tests_of
from calm_relay.planning.commissioning.judge import Judged, judge, tally
from calm_relay.planning.common.amounts import degrees_text
from calm_relay.planning.handover.settings_sheet import Setting, settings_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.verdict.option import Option

FORMAT = "calm-relay-protocol"
CAUTION = (
    "Measured by the person named here. Work on mains and batteries is for licensed persons; {rules} and the makers' "
    "instructions go before this protocol."
)


@dataclass(frozen=True)
class SerialPart:
    """A part that has a serial number, and what was written down of it."""

    key: str
    name: str
    serial: str


@dataclass(frozen=True)
class Protocol:
    """Everything that is handed over after commissioning."""

    plan: Plan
    option: Option
    record: Commissioning
    readings: tuple[Judged, ...]
    tests: tuple[FunctionalTest, ...]
    settings: tuple[Setting, ...]
    parts: tuple[SerialPart, ...]
    ct_sentences: tuple[str, ...]
    light: tuple[str, ...]

    @property
    def job(self) -> Job:
        """The job."""
        return self.plan.job

    @property
    def caution(self) -> str:
        """What goes before it."""
        operators = ", the network operator's rules" if self.job.supply.on_grid else ""
        return CAUTION.format(rules=f"local codes{operators}")

    @property
    def counts(self) -> dict[str, int]:
        """How many readings have each verdict."""
        return tally(self.readings)

    @property
    def open_points(self) -> tuple[str, ...]:
        """What is still to be done: failed and doubtful readings, tests not passed, and what was written down."""
        found = [
            f"{item.expected.part}, {item.expected.what.lower()}: {item.verdict}. {item.meaning}".strip()
            for item in self.readings
            if item.verdict in ("fail", "doubtful", "cannot be judged")
        ]
        found += [
            f"{test.name}: {record.result}{f' ({record.note})' if record.note else ''}"
            for test, record in ((test, self.record.test(test.key)) for test in self.tests)
            if record.result == "failed"
        ]
        found += [
            f"{item.box}, {item.name.lower()}: {other} keyed in, {item.value} on the sheet."
            for item, other in ((item, self.record.keyed_as(setting_key(item))) for item in self.settings)
            if other
        ]
        unread = self.counts.get("to read", 0)
        undone = sum(self.record.test(test.key).result == "not done" for test in self.tests)
        if unread:
            found.append(f"{unread} readings not taken.")
        if undone:
            found.append(f"{undone} functional tests not done.")
        return (*found, *(line for line in self.record.open_points.splitlines() if line.strip()))

    @property
    def verdict(self) -> str:
        """How it came out, in a sentence."""
        counts = self.counts
        read = sum(
            counts.get(name, 0) for name in ("pass", "written down", "doubtful", "fail", "cannot be judged")
        )
        failed = sum(self.record.test(test.key).result == "failed" for test in self.tests)
        done = sum(self.record.test(test.key).result != "not done" for test in self.tests)
        wrong = counts.get("fail", 0)
        said = (
            f"{read} of {len(self.readings)} readings taken: {counts.get('pass', 0) + counts.get('written down', 0)} "
            f"right, {counts.get('doubtful', 0)} doubtful, {wrong} failed; {done} of {len(self.tests)} tests done, "
            f"{failed} failed."
        )
        return said


def built_option(plan: Plan, record: Commissioning, shown: Option | None) -> Option | None:
    """The option that was built: what the record says, else the one in view."""
    if record.option is not None:
        return next((option for option in plan.live if option.key == record.option), shown)
    return shown


def protocol_of(plan: Plan, option: Option) -> Protocol:
    """The protocol of an option as the job's record has it.

    Parameters
    ----------
    plan : Plan
        Of the job.
    option : Option
        What was built.
    """
    record = plan.job.commissioning
    return Protocol(
        plan,
        option,
        record,
        judge(plan, option, record),
        functional_tests_of(plan, option),
        settings_of(option),
        serial_parts(option, record),
        ct_finding(record, plan.job.supply.phases).sentences if record.ct_moments else (),
        tuple(
            f"{face}: {light.irradiance:,.0f} W/m², module {degrees_text(light.cell_c, 0)} ({light.source})"
            for face, light in lights_of(plan, option, record).items()
        ),
    )


def serial_parts(option: Option, record: Commissioning) -> tuple[SerialPart, ...]:
    """Parts whose serial numbers are written down: units and packs, each by itself."""
    plan = option.wiring
    if plan is None:
        return ()
    found = []
    for node in plan.topology.nodes:
        if node.kind not in ("unit", "battery"):
            continue
        for number in range(1, min(node.count, 24) + 1):
            key = node.key if node.count == 1 else f"{node.key} #{number}"
            name = node.title if node.count == 1 else f"{node.title}, {number} of {node.count}"
            found.append(SerialPart(key, name, record.serial(key)))
    return tuple(found)


def handover_entry(protocol: Protocol, today: date) -> Handover:
    """What the logbook keeps of a protocol that was written."""
    counts = protocol.counts
    return Handover(
        on=protocol.record.conditions.on or today.isoformat(),
        by=protocol.record.by,
        option=protocol.option.title,
        passed=counts.get("pass", 0) + counts.get("written down", 0),
        doubtful=counts.get("doubtful", 0) + counts.get("cannot be judged", 0),
        failed=counts.get("fail", 0),
        text="\n".join(protocol.open_points)[:20_000],
    )


def setting_key(setting: Setting) -> str:
    """What names a setting among those keyed in."""
    return f"{setting.box}: {setting.name}: {setting.value}"[:300]


def document_of(protocol: Protocol) -> dict[str, Any]:
    """The protocol as JSON holds it."""
    record, job = protocol.record, protocol.job
    return {
        "format": FORMAT,
        "version": 1,
        "made_by": f"Calm Relay {__version__}",
        "job": job.name,
        "place": job.site.place,
        "option": protocol.option.title,
        "done_by": record.by,
        "conditions": {
            "date": record.conditions.on,
            "time": record.conditions.at,
            "utc": moment_utc(job, record.conditions).isoformat() if record.conditions.on else None,
            "clouds": record.conditions.clouds,
            "air_c": record.conditions.air_c,
            "light": list(protocol.light),
        },
        "verdict": protocol.verdict,
        "readings": [
            {
                "stage": item.expected.stage,
                "part": item.expected.part,
                "what": item.expected.what,
                "unit": item.expected.unit,
                "read": item.value,
                "expected": None if item.expected.value is None else round(float(item.expected.value), 3),
                "tolerance": round(float(item.expected.off), 3),
                "least": item.expected.least,
                "most": item.expected.most,
                "verdict": item.verdict,
                "meaning": item.meaning,
                "source": item.expected.source,
            }
            for item in protocol.readings
        ],
        "current_transformers": list(protocol.ct_sentences),
        "tests": [
            {
                "name": test.name,
                "expected": test.see,
                "within": test.within,
                "result": record.test(test.key).result,
                "note": record.test(test.key).note,
            }
            for test in protocol.tests
        ],
        "settings": [
            {
                "unit": item.box,
                "setting": item.name,
                "value": item.value,
                "keyed_in": setting_key(item) in record.keyed,
                "keyed_as": record.keyed_as(setting_key(item)) or None,
            }
            for item in protocol.settings
        ],
        "serial_numbers": [{"part": item.name, "serial": item.serial} for item in protocol.parts],
        "instruments": [item.model_dump() for item in record.instruments],
        "photos": [{"path": item.path, "caption": item.caption} for item in job.attachments],
        "open_points": list(protocol.open_points),
        "caution": protocol.caution,
    }
