"""Datasheets of invented equipment, as PDF files made here."""

PAGE = 595, 842


def _rows(top, columns, *rows):
    """Labels at the left and their values in columns, a row each, ten points apart and half as much again."""
    for number, (label, *values) in enumerate(rows):
        height = top + 15 * number
        yield 40, height, 9, label
        for left, value in zip(columns, values, strict=False):
            yield left, height, 9, value


MODULE = (
    (40, 60, 22, "Larkmoor half-cut"),
    *_rows(
        110,
        (250, 330, 410),
        ("Electrical data at STC", "LM-400", "LM-405", "LM-410"),
        ("Maximum power (Pmax/W)", "400", "405", "410"),
        ("Open-circuit voltage (Voc/V)", "37.07", "37.23", "37.32"),
        ("Short-circuit current (Isc/A)", "13.79", "13.87", "13.95"),
        ("Voltage at maximum power (Vmp/V)", "31.01", "31.21", "31.45"),
        ("Current at maximum power (Imp/A)", "12.90", "12.98", "13.04"),
        ("Electrical data at NOCT",),
        ("Maximum power (Pmax/W)", "302", "306", "310"),
        ("Open-circuit voltage (Voc/V)", "34.88", "35.12", "35.23"),
        ("Temperature coefficient of Pmax", "-0.350 %/°C"),
        ("Temperature coefficient of Voc", "-102 mV/K"),
        ("Temperature coefficient of Isc", "+0.045 %/°C"),
        ("Dimensions", "67.8 x 44.6 x 1.2 in"),
        ("Weight", "47.4 lbs"),
        ("Maximum system voltage", "1500 V DC"),
        ("Maximum series fuse rating", "25 A"),
    ),
)

HYBRID = (
    (40, 60, 22, "Tamber Hybrid 5"),
    *_rows(
        100,
        (300,),
        ("PV input",),
        ("Max. PV input power", "8000 W"),
        ("Max. DC input voltage", "600 V"),
        ("MPPT voltage range", "90 - 520 V"),
        ("Start voltage", "120 V"),
        ("Max. input current per MPPT", "16 A / 13 A"),
        ("Max. short-circuit current", "20 A / 16 A"),
        ("Number of MPP trackers / strings per tracker", "2 / 1"),
        ("Battery",),
        ("Battery voltage range", "42-58,8 V"),
        ("Max. charging/discharging current", "100 A / 110 A"),
        ("Max. charging power", "5,0 kW"),
        ("Max. discharging power", "5,0 kW"),
        ("AC output",),
        ("Rated AC output power", "5000 W"),
        ("Max. AC output current", "22,7 A"),
        ("Nominal grid voltage", "230 V single-phase"),
        ("Max. efficiency", "97,6 %"),
        ("European efficiency", "97,0 %"),
        ("Backup rated power", "5000 VA"),
        ("Backup peak power", "7,5 kVA, 10 s"),
        ("Transfer time", "< 10 ms"),
        ("Weight", "28 kg"),
    ),
)

PACK = (
    (40, 60, 22, "Fellmar 5"),
    *_rows(
        100,
        (300,),
        ("Chemistry", "LiFePO4"),
        ("Nominal energy", "5120 Wh"),
        ("Operating voltage range", "44.8 ~ 57.6 V"),
        ("Max. charge current", "100 A"),
        ("Max. discharge current", "120 A"),
        ("Cycle life", "6000 cycles @ 90 % DOD"),
        ("Charge temperature", "0 ~ 50 °C"),
        ("Discharge temperature", "-20 ~ 55 °C"),
        ("Weight", "105 lbs"),
    ),
)


def write_pdf(path, *pages):
    """A PDF of pages, each a list of (left, top, size, text) in points from the upper left corner."""
    objects = [b"<< /Type /Catalog /Pages 2 0 R >>", b"", b"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica "
               b"/Encoding /WinAnsiEncoding >>"]  # fmt: skip
    kids = []
    for page in pages:
        drawn = b"".join(
            b"BT /F1 %d Tf %d %d Td (%s) Tj ET\n" % (size, left, PAGE[1] - top, _escaped(text))
            for left, top, size, text in page
        )
        objects.append(b"<< /Length %d >>\nstream\n%s\nendstream" % (len(drawn), drawn))
        objects.append(
            b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 %d %d] /Contents %d 0 R "
            b"/Resources << /Font << /F1 3 0 R >> >> >>" % (*PAGE, len(objects))
        )
        kids.append(b"%d 0 R" % len(objects))
    objects[1] = b"<< /Type /Pages /Kids [%s] /Count %d >>" % (b" ".join(kids), len(kids))
    body, places = b"%PDF-1.4\n", []
    for number, inner in enumerate(objects, 1):
        places.append(len(body))
        body += b"%d 0 obj\n%s\nendobj\n" % (number, inner)
    table = b"".join(b"%010d 00000 n \n" % place for place in places)
    count = len(objects) + 1
    body += b"xref\n0 %d\n0000000000 65535 f \n%strailer\n<< /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n" % (
        count, table, count, len(body),
    )  # fmt: skip
    path.write_bytes(body)
    return path


def _escaped(text):
    return text.encode("cp1252").replace(b"\\", b"\\\\").replace(b"(", b"\\(").replace(b")", b"\\)")
