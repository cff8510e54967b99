"""Requests as the pages send them, checked before anything is done."""

from __future__ import annotations

from typing import Any, Literal, TypeVar

from django.http import HttpRequest
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lumwick.errors import LumwickError

Body = TypeVar("Body", bound=BaseModel)


class Unreadable(LumwickError):
    """A request that does not say what it must: answered with 400."""


class RequestBody(BaseModel):
    """A request; what it says besides is passed over, no number may be infinite."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False, coerce_numbers_to_str=True)


class OnShot(RequestBody):
    """A change of a shot, made on a stated revision."""

    rev: int
    shot: str


class Mend(OnShot):
    """One repair of a stretch of a ride, or all that there are."""

    how: str
    begins: float = Field(0.0, alias="from")
    ends: float = Field(0.0, alias="to")
    kind: str = ""


class Draft(OnShot):
    """A station held elsewhere."""

    station: str
    east: float | None = None
    north: float | None = None
    up: float | None = None
    aim: tuple[float, float, float] | None = None


class DrawnWay(OnShot):
    """A way drawn on the chart, east and north of each point."""

    points: list[tuple[float, float]] = Field(max_length=100_000)
    way: str = ""
    height: float | None = None


class TypedKey(RequestBody):
    """What somebody typed as a key's value."""

    path: str
    t: float
    text: str


class Typed(RequestBody):
    """What somebody typed into a field, at the playhead; how it is to be meant if it is keyed elsewhere."""

    path: str
    text: str
    t: float = 0.0
    keep: Literal["seconds", "frames", "scale"] = "seconds"
    auto: bool = False
    how: str | None = None


class Edit(RequestBody):
    """An edit on a stated revision: exactly one of its ways."""

    rev: int
    shot: str | None = None
    auto: bool = False
    move: Literal["undo", "redo"] | None = None
    restore: int | None = None
    typed_key: TypedKey | None = None
    typed: Typed | None = None
    command: dict[str, Any] | None = None


class Pin(RequestBody):
    """A note on a take: at a clip time, at shares of the picture."""

    t: float
    x: float
    y: float
    text: str


def read(request: HttpRequest, model: type[Body]) -> Body:
    """The body of a request.

    Raises
    ------
    Unreadable
    """
    try:
        return model.model_validate_json(request.body)
    except ValidationError:
        raise Unreadable("This request cannot be read: reload the page.") from None


def whole(text: str | None) -> int:
    """A whole number of a form or an address.

    Raises
    ------
    Unreadable
    """
    try:
        return int(text or 0)
    except ValueError:
        raise Unreadable("This request cannot be read: reload the page.") from None


def share(text: str | None) -> float:
    """A share of a picture's side, from 0 to 1.

    Raises
    ------
    Unreadable
    """
    try:
        return min(1.0, max(0.0, float(text or "")))
    except ValueError:
        raise Unreadable("This spot cannot be read: pick it again.") from None
