"""Meter files written from their published specifications, with numbers of our own."""

from datetime import UTC, datetime, timedelta

ATOM = 'xmlns="http://www.w3.org/2005/Atom" xmlns:espi="http://naesb.org/espi"'


def green_button(days=3, value=420, *, reverse=False, power=0, unit=72, points=("1",), seconds=900):
    """A Green Button feed: ESPI entries with links, reading types and daily interval blocks."""
    entries = []
    for point in points:
        base = f"RetailCustomer/1/UsagePoint/{point}"
        for number, flow in enumerate((1, 19) if reverse else (1,), 1):
            reading = f"{base}/MeterReading/{number}"
            kind = f"ReadingType/{point}{number}"
            entries.append(
                f'<entry><link rel="self" href="{reading}"/><link rel="up" href="{base}/MeterReading"/>'
                f'<link rel="related" href="{reading}/IntervalBlock"/><link rel="related" href="{kind}"/>'
                "<content><espi:MeterReading/></content></entry>"
            )
            entries.append(
                f'<entry><link rel="self" href="{kind}"/><content><espi:ReadingType>'
                f"<espi:commodity>1</espi:commodity><espi:flowDirection>{flow}</espi:flowDirection>"
                f"<espi:intervalLength>{seconds}</espi:intervalLength>"
                f"<espi:powerOfTenMultiplier>{power}</espi:powerOfTenMultiplier><espi:uom>{unit}</espi:uom>"
                "</espi:ReadingType></content></entry>"
            )
            start = int(datetime(2025, 1, 1, 5, tzinfo=UTC).timestamp())
            for day in range(days):
                intervals = "".join(
                    "<espi:IntervalReading><espi:timePeriod>"
                    f"<espi:duration>{seconds}</espi:duration><espi:start>{start + day * 86400 + i * seconds}"
                    f"</espi:start></espi:timePeriod><espi:value>{value // number}</espi:value>"
                    "</espi:IntervalReading>"
                    for i in range(86400 // seconds)
                )
                block = f"{reading}/IntervalBlock/{day}"
                entries.append(
                    f'<entry><link rel="self" href="{block}"/><link rel="up" href="{reading}/IntervalBlock"/>'
                    f"<content><espi:IntervalBlock>{intervals}</espi:IntervalBlock></content></entry>"
                )
    return f'<?xml version="1.0" encoding="UTF-8"?>\n<feed {ATOM}>\n' + "\n".join(entries) + "\n</feed>\n"


def nem12(days=3, value="0.21", *, registers=("E1",), minutes=30, unit="kWh", points=("6001234567",)):
    """A NEM12 file: header 100, streams 200, days 300, end 900."""
    rows = ["100,NEM12,202501021200,MDPX,RETY"]
    for point in points:
        for register in registers:
            joined = "".join(registers)
            rows.append(f"200,{point},{joined},1,{register},N1,M123,{unit},{minutes},20250201")
            for day in range(days):
                date = datetime(2025, 1, 1) + timedelta(days=day)
                values = ",".join([value] * (1440 // minutes))
                rows.append(f"300,{date:%Y%m%d},{values},A,,,{date:%Y%m%d}120000,")
    return "\n".join([*rows, "900", ""])


def interval_csv(days=3):
    """A plain interval CSV."""
    stamps = [datetime(2025, 1, 1) + timedelta(minutes=30 * i) for i in range(48 * days)]
    return "time,import kWh,export kWh\n" + "\n".join(f"{t:%Y-%m-%d %H:%M},0.42,0.1" for t in stamps) + "\n"


def bills_csv():
    """Three bills."""
    return "first,last,kWh\n2025-01-01,2025-01-31,412\n2025-02-01,2025-02-28,388.5\n2025-03-01,2025-03-31,351\n"
