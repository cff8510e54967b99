"""What fields of the document are made of: their units, ranges and help stand beside them."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from lumwick.motion.channel import Channel
from lumwick.motion.terms import Finite

TURNS_AT_MOST = 360_000.0
"""Degrees that a keyed turn may reach."""


Id = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]


Point2 = tuple[Finite, Finite]


Point3 = tuple[Finite, Finite, Finite]


class Model(BaseModel):
    model_config = ConfigDict(extra="forbid", validate_assignment=False, allow_inf_nan=False)


def number(default: float, title: str, unit: str, low: float, high: float, text: str, **extra: Any) -> Any:
    """A constant number with its unit, range and help."""
    return Field(
        default,
        title=title,
        description=text,
        ge=low,
        le=high,
        json_schema_extra={"unit": unit, "low": low, "high": high, **extra},
    )


def keyed(default: float, title: str, unit: str, low: float, high: float, text: str, **extra: Any) -> Any:
    """A number that may be keyed; its range is checked on every key by the place."""
    return Field(
        default,
        title=title,
        description=text,
        json_schema_extra={"unit": unit, "low": low, "high": high, "animatable": True, **extra},
    )


def wish(title: str, unit: str, low: float, high: float, text: str, **extra: Any) -> Any:
    """A constant number that may be left out: then the shot's own holds."""
    return Field(
        None,
        title=title,
        description=text,
        ge=low,
        le=high,
        json_schema_extra={"unit": unit, "low": low, "high": high, "optional": True, **extra},
    )


def coloured(default: str, title: str, text: str = "") -> Any:
    """A colour that may be keyed."""
    return Field(default, title=title, description=text, json_schema_extra={"animatable": True})


def least(value: Any) -> float:
    """The constant, or the smallest keyed value."""
    return min(key.v for key in value.keys) if isinstance(value, Channel) else float(value)


def most(value: Any) -> float:
    """The constant, or the largest keyed value."""
    return max(key.v for key in value.keys) if isinstance(value, Channel) else float(value)


class Asset(Model):
    """A file that the place needs, known by its contents."""

    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")
    name: str = Field(min_length=1, max_length=200, pattern=r"^[^/\\]+$")
    bytes: int = Field(ge=0)
