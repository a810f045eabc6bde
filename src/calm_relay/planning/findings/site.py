"""How far the weather year can be believed."""

from calm_relay.planning.findings.base import Finding, Severity, Subject, check, judged

FAR_KM = 80.0


@check
def check_weather(subject: Subject) -> list[Finding]:
    """A made year or a far-off weather file is said aloud."""
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
