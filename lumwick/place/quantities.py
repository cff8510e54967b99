"""Numbers as people type and read them, with or without units."""

from __future__ import annotations

import re

from lumwick.errors import PlaceError

# unit written -> factor to the unit of the field
_FACTORS: dict[str, dict[str, float]] = {
    "m": {"m": 1, "": 1, "km": 1000, "cm": 0.01, "mm": 0.001, "ft": 0.3048, "nmi": 1852, "mi": 1609.344},
    "m/s": {"m/s": 1, "": 1, "kn": 0.514444, "kt": 0.514444, "km/h": 1 / 3.6, "mph": 0.44704},
    "mm": {"mm": 1, "": 1, "cm": 10, "m": 1000},
    "km": {"km": 1, "": 1, "m": 0.001, "nmi": 1.852, "mi": 1.609344},
    "°": {"°": 1, "": 1, "deg": 1, "d": 1},
    "K": {"k": 1, "": 1},
    "EV": {"ev100": 1, "ev": 1, "": 1},
    "f/": {"": 1},
    "s": {"s": 1, "": 1, "ms": 0.001, "min": 60, "h": 3600, "d": 86400},
    "h": {"h": 1, "": 1, "min": 1 / 60},
    "Hz": {"hz": 1, "": 1, "/s": 1},
    "x": {"": 1, "x": 1, "%": 0.01},
}
_NUMBER = re.compile(r"^\s*(?:f/)?\s*([-+]?(?:\d[\d\s]*(?:[.,]\d*)?|[.,]\d+)(?:e[-+]?\d+)?)\s*([^\d\s].*?)?\s*$", re.I)


def read(text: str, unit: str, title: str = "This value") -> float:
    """A number from what somebody typed.

    Parameters
    ----------
    text : str
        Like ``1.6 m``, ``20 kn``, ``35``, ``f/8``.
    unit : str
        The field's unit.

    Raises
    ------
    PlaceError
        Not a number, or a unit that does not fit.
    """
    found = _NUMBER.match(text)
    if not found:
        raise PlaceError(
            f"{title} must be a number{' of ' + unit if unit not in ('', 'x') else ''}, and {text.strip()!r} is none."
        )
    value = float(re.sub(r"\s", "", found[1]).replace(",", "."))  # thousands are set apart by thin spaces
    written = (found[2] or "").lower()
    factors = _FACTORS.get(unit, {"": 1, unit.lower(): 1})
    if written not in factors:
        raise PlaceError(f"{title} is measured in {unit}: {found[2]!r} does not fit.")
    return value * factors[written]


def show(value: float, unit: str) -> str:
    """A number with as many digits as tell something, and its unit."""
    digits = f"{value:.4g}" if abs(value) < 10000 else f"{value:,.0f}".replace(",", "\u202f")
    if unit == "f/":
        return f"f/{digits}"
    return digits if unit in ("x", "") else f"{digits} {unit}"
