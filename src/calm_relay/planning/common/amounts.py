"""Amounts and times as they stand in sentences."""

from math import floor, log10

from calm_relay.job.model import Job


def money_text(job: Job, amount: float) -> str:
    """An amount in the job's currency, without small change."""
    return amount_text(amount, job.tariff.currency)


def amount_text(amount: float, currency: str) -> str:
    """An amount without small change, its sign before the currency; what rounds to nothing has none."""
    return f"{'−' if amount < -0.5 else ''}{currency} {abs(amount):,.0f}"


def price_decimals(price: float) -> int:
    """Decimals that a price a kWh needs: two, and more where a unit of the currency is worth much."""
    return 2 if abs(price) >= 0.1 or price == 0.0 else 3 if abs(price) >= 0.01 else 4


def price_text(price: float) -> str:
    """A price a kWh as exactly as it was typed, with two decimals at least and four at most."""
    whole, _, cents = f"{price:,.4f}".partition(".")
    return f"{whole}.{cents.rstrip('0').ljust(2, '0')}"


def worth_text(price: float) -> str:
    """What a kWh turned out to be worth, to a hundredth, finer where a unit of the currency is worth much."""
    return f"{price:.{price_decimals(price)}f}"


# A gain or a loss below this share of the outlay is none: what lies many years ahead is not known so well.
EVEN = 0.01


def breaks_even(npv: float, outlay: float) -> bool:
    """Whether so little is gained or lost of an outlay that it is neither."""
    return abs(npv) < EVEN * outlay


def to_two_figures(amount: float) -> float:
    """An amount to two figures: what lies many years ahead is known no better."""
    return _to_figures(amount, 2)


def to_three_figures(amount: float) -> float:
    """An amount to three figures: what a simulated year comes to is known no better."""
    return _to_figures(amount, 3)


def _to_figures(amount: float, figures: int) -> float:
    step = 10.0 ** max(floor(log10(max(abs(amount), 1.0))) + 1 - figures, 0)
    return round(amount / step) * step


def rated_text(amps: float, what: str) -> str:
    """A device by its rating with its article: "a 63 A breaker", "an 80 A fuse"."""
    figure = f"{amps:g}"
    article = "an" if figure.startswith("8") or figure.split(".")[0] in {"11", "18"} else "a"
    return f"{article} {figure} A {what}"


def about_years(years: float) -> str:
    """A span that is not known exactly: by half years below three, by whole ones beyond."""
    said = max(round(2.0 * years) / 2.0, 0.5) if years < 3.0 else round(years)
    return f"{said:g} year{'s' * (said != 1)}" if said >= 1.0 else "half a year"


# What is beyond is told no more exactly.
LONGEST_YEARS = 60.0


def years_text(years: float) -> str:
    """A payback time in words that fit a sentence."""
    if years == float("inf"):
        return "never"
    return f"more than {LONGEST_YEARS:g} years" if years > LONGEST_YEARS else f"{years:.1f} years"


# Decimals beyond which two figures are one.
FINEST = 2


def in_pair(value: float, limit: float, decimals: int = 1) -> tuple[str, str]:
    """A figure and what it is held against, with as many decimals more as it takes to read the two apart."""
    for digits in range(decimals, FINEST + 1):
        pair = f"{value:.{digits}f}", f"{limit:.{digits}f}"
        if pair[0] != pair[1]:
            return pair
    return f"{value:.{decimals}f}", f"{limit:.{decimals}f}"


def degrees_text(celsius: float, decimals: int | None = None) -> str:
    """A temperature with its unit and a true minus; as exact as it is without `decimals`, never minus nought."""
    figure = f"{celsius:g}".replace("-", "−") if decimals is None else figure_text(celsius, decimals)
    return f"{figure} °C"


def figure_text(value: float, decimals: int) -> str:
    """A figure with a true minus where it is negative, and no sign else; nothing has none."""
    return f"{round(value, decimals) + 0.0:.{decimals}f}".replace("-", "−")


def signed(value: float, decimals: int) -> str:
    """A figure with its sign before it, a plus too."""
    return f"{value:+.{decimals}f}".replace("-", "−")
