"""Small ways of saying things in templates."""

import json as _json
from typing import Any

from django import template

register = template.Library()


@register.filter
def json(value: Any) -> str:
    """JSON for an attribute in single quotes (the template escapes it)."""
    return _json.dumps(value)


@register.filter
def plain(value: float | None) -> str:
    """A number without grouping, as scripts read it."""
    return "" if value is None else f"{float(value):.10g}"


@register.filter
def duration(seconds: float | None) -> str:
    """Seconds as somebody would say them."""
    if seconds is None:
        return ""
    if seconds < 10:
        return f"{seconds:.1f} s"
    if seconds < 100:
        return f"{seconds:.0f} s"
    if seconds < 5400:
        return f"{seconds / 60:.0f} min"
    return f"{seconds / 3600:.1f} h"


@register.filter
def duration_typed(seconds: float) -> str:
    """Seconds as they can be typed back."""
    if seconds >= 7200:
        return f"{seconds / 3600:.4g} h"
    return f"{seconds / 60:.4g} min" if seconds >= 120 else f"{seconds:.4g} s"
