"""How far the weather year can be believed."""

from calendar import month_name

from calm_relay.job.model import WeatherFile
from calm_relay.planning.findings.base import Finding, Mend, Severity, Subject, advises, check, judged, warns

FAR_KM = 80.0
# Days of a right clock are off by minutes; stamps at an hour's start instead of its end by half an hour and more.
CLOCK_OFF_H = 0.4


@check
def check_weather(subject: Subject) -> list[Finding]:
    """A made year or a far-off weather file is said aloud, where there is an array to give by it."""
    if not subject.context.faces:
        return []
    site = subject.site
    if site.assumed:
        sentence = "Every yearly figure rests on an assumed climate, not on a weather file of this place."
        severity = Severity.CHECK
    elif site.distance_km > FAR_KM:
        sentence = f"The weather file stands {site.distance_km:.0f} km from this site."
        severity = Severity.CHECK
    else:
        return []
    distance = None if site.assumed else site.distance_km
    return [
        judged(
            severity,
            "weather",
            "Site",
            "site.weather",
            sentence,
            reading=(distance, None if distance is None else FAR_KM, "" if distance is None else "km"),
            rule=site.source,
        )
    ]


@check
def check_weather_clock(subject: Subject) -> list[Finding]:
    """A weather file whose clear days are not brightest when the sun stands highest has its stamps wrong."""
    site, weather = subject.site, subject.job.site.weather
    if not isinstance(weather, WeatherFile):
        return []
    off = site.clock_off_h
    shift = round(-2 * off) / 2
    if abs(off) < CLOCK_OFF_H or shift == 0.0:
        return []
    word = "later" if off > 0 else "earlier"
    sentence = (
        f"On clear days the weather file is brightest {abs(off):.1f} h {word} than the sun stands highest: its stamps "
        "are off, and east and west faces get each other's light."
    )
    moved = weather.with_(shift_h=weather.shift_h + shift)
    mend = Mend(
        f"Set its stamps {abs(shift):g} h {'earlier' if shift < 0 else 'later'}",
        lambda job: job.with_(site=job.site.with_(weather=moved)),
    )
    return [
        warns(
            "weather clock",
            "Site",
            "site.weather.shift_h",
            sentence,
            reading=(off, CLOCK_OFF_H, "h"),
            rule="position of the sun",
            mends=(mend,),
        )
    ]


@advises
@check
def check_snow(subject: Subject) -> list[Finding]:
    """Where months freeze and nobody stated the snow, what lies on the modules is counted nowhere."""
    months = subject.site.freezing_months
    if subject.job.site.snow is not None or not months or not subject.context.faces:
        return []
    # A winter is read from its first month on, not from January.
    first = next((number for number in months if (number - 2) % 12 + 1 not in months), months[0])
    winter = sorted(months, key=lambda number: (number - first) % 12)
    names = month_name[winter[0]]
    if len(winter) > 1:
        names += f" to {month_name[winter[-1]]}"
    verb = "are" if len(winter) > 1 else "is"
    sentence = (
        f"{names} {verb} below freezing on average and the snow is not stated: none is counted on the modules, and "
        "midwinter may give less than shown."
    )
    return [
        warns(
            "snow",
            "Site",
            "site.snow",
            sentence,
            reading=(float(len(months)), 0.0, "months"),
            rule=subject.site.source,
        )
    ]
