"""What of a job was assumed from its place and nobody has confirmed."""

from calm_relay.planning.findings.base import Finding, Mend, Subject, check, warns

# What a person calls each; a path that is not named here is shown as it is.
WORDS = {
    "site.elevation_m": "elevation",
    "supply.phases": "phases",
    "supply.volts": "volts",
    "supply.hertz": "frequency",
    "supply.main_fuse_a": "main fuse",
    "tariff.price": "price of a kWh",
    "tariff.feed_in": "price of what is exported",
    "tariff.standing_per_day": "standing charge",
    "tariff.currency": "currency",
    "costs.shipped_prices": "what the example prices come to in this currency",
    "purposes": "what the battery is for",
    "outage_hours": "the outage to ride through",
    "finance.outage_hours": "hours without grid in a year",
    "battery.pack": "battery",
    "battery.count": "packs",
    "battery_place": "where the battery stands",
    "wiring.tables": "sizes of wires",
    "demand.winter_factor": "how winter and summer share the home's use",
    "region": "rules of the region",
}


# What nothing reads where there is no grid.
OF_THE_GRID = {
    "supply.main_fuse_a", "outage_hours", "finance.outage_hours", "tariff.price", "tariff.feed_in",
    "tariff.standing_per_day",
}  # fmt: skip


@check
def check_assumed(subject: Subject) -> list[Finding]:
    """Figures set by the place's country are told until somebody confirms or changes them."""
    unread = set() if subject.job.supply.on_grid else OF_THE_GRID
    assumed = [path for path in subject.job.assumed if path not in unread]
    if not assumed:
        return []
    names = ", ".join(WORDS.get(path, path) for path in assumed)
    nowhere = "place" in subject.job.wanted
    how = "Stands in until a place is known" if nowhere else "Assumed by what is usual at the place"
    return [
        warns(
            "assumed",
            "Site",
            "assumed",
            f"{how}, and not yet confirmed: {names}.",
            reading=(float(len(assumed)), 0.0, "figures"),
            rule="usual services and tariffs, 2026-11, from memory",
            mends=() if nowhere else (Mend("Confirm them all", lambda job: job.with_(assumed=())),),
        )
    ]
