"""Makes the invented three-year logbook of the demo job: a dim summer, and a battery that fades too fast.

Run as ``python tools/make_logbook.py``; writes `src/calm_relay/data/demo/pottery.relay.logbook.jsonl`.
"""

from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from calm_relay.exchange.files import write_atomically
from calm_relay.exchange.logbook import line_of
from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.logbook import CapacityTest, Fault, Firmware, Handover, MonthFacts, PartChanged, Visit
from calm_relay.planning.commissioning.promise import YearAgain
from calm_relay.planning.plan import plan

OUT = Path(__file__).parent.parent / "src/calm_relay/data/demo/pottery.relay.logbook.jsonl"
# Light of each month over an ordinary one; January and February 2025 were dim.
LIGHT = {2023: [1.0] * 12, 2024: [1.02] * 12, 2025: [0.82, 0.84, 0.95, *[1.0] * 9], 2026: [1.01] * 12}
SPAN = [
    (year, month)
    for year in range(2023, 2027)
    for month in range(1, 13)
    if (2023, 7) <= (year, month) <= (2026, 6)
]
OTHERS = (
    Handover(on="2023-07-03", by="Hallowmere Solar", option="AC-coupled add-on", passed=31, text="No open points."),
    Firmware(on="2023-09-12", part="Mossgate 5 battery inverter", version="2.4"),
    CapacityTest(on="2024-07-02", part="Battery", kwh=12.5, text="Full to cut-off at 3 kW, the unit's own counter."),
    Visit(on="2024-07-02", by="Hallowmere Solar", text="Yearly visit: joints tight, fans clean, no shade grown."),
    Fault(on="2025-02-20", part="Array", text="The customer asks why the summer brought so little."),
    PartChanged(on="2025-04-08", part="Surge protection, DC", serial="SP-0417", text="Window red after a storm."),
    CapacityTest(on="2025-07-01", part="Battery", kwh=11.3, text="Full to cut-off at 3 kW, the unit's own counter."),
    CapacityTest(on="2026-06-30", part="Battery", kwh=9.9, text="Full to cut-off at 3 kW; pack 2 empties first."),
    Visit(on="2026-06-30", by="Hallowmere Solar", text="Third yearly visit. Battery to be watched."),
)  # fmt: skip


def facts() -> list[MonthFacts]:
    """Months as meters might have shown them, from the plan run again in that light."""
    made = plan(demo_job("pottery"), library())
    option = made.option(made.choice.key)
    random = np.random.default_rng(7)
    again = YearAgain(made, option, np.array([0.96, 0.9, 0.8]))
    found = []
    for year in range(2023, 2027):
        months = [month for at, month in SPAN if at == year]
        lit = [
            MonthFacts(
                year=year, month=month,
                light_kwh_m2=round(float(again.ghi[month - 1] * LIGHT[year][month - 1] * random.normal(1.0, 0.015)), 1),
            )
            for month in months
        ]  # fmt: skip
        flows = again.year(lit, max(year + 0.5 - 2023.5, 0.0))
        for fact in lit:
            values = {
                name: round(float(series[fact.month - 1] * random.normal(1.0, 0.015)), 1)
                for name, series in flows.items()
            }
            found.append(fact.with_(**values))
    return found


def main() -> None:
    """Writes the logbook in the order of its days."""
    dated = [(f"{fact.year}-{fact.month:02d}-28", fact) for fact in facts()] + [
        (entry.on, entry) for entry in OTHERS
    ]
    dated.sort(key=lambda item: item[0])
    content, before = b"", ""
    for number, (day, entry) in enumerate(dated, 1):
        line = line_of(entry, number, before, datetime.fromisoformat(f"{day}T18:00:00").replace(tzinfo=UTC))
        content, before = content + line, line[-11:-3].decode()
    write_atomically(OUT, content)
    print(f"{OUT.name}: {len(dated)} lines")


if __name__ == "__main__":
    main()
