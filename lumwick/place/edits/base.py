"""What all edits share: an edit is a small typed command that changes a draft of a place and says its name.

The next kind of edit is one class in the file of its subject, and one line in that file's ``COMMANDS``.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from typing import Any

from pydantic import BaseModel, ConfigDict, ValidationError

from lumwick.errors import PlaceError
from lumwick.motion import keys as key_edits
from lumwick.motion.channel import Curve
from lumwick.place.document import Place, Shot
from lumwick.place.filming import Station
from lumwick.place.paths import described, unit_of
from lumwick.place.quantities import show


class Command(BaseModel):
    """An edit."""

    model_config = ConfigDict(extra="forbid")

    def apply(self, draft: Place) -> str:
        """Change a draft, and give the edit's name in plain words.

        Raises
        ------
        PlaceError
            It does not fit the place; the draft may be half-changed then, and is thrown away.
        """
        raise NotImplementedError


def shot_of(place: Place, shot_id: str) -> Shot:
    """A shot by its id.

    Raises
    ------
    PlaceError
        There is none.
    """
    for shot in place.shots:
        if shot.id == shot_id:
            return shot
    raise PlaceError(f"There is no shot {shot_id!r} any more: it may have been removed.")


def station_of(shot: Shot, station_id: str) -> tuple[int, Station]:
    """A station and its index.

    Raises
    ------
    PlaceError
        There is none of this id.
    """
    for i, station in enumerate(shot.route.stations):
        if station.id == station_id:
            return i, station
    raise PlaceError(f"There is no station {station_id!r} on this route any more.")


def fresh_id(taken: list[str], stem: str) -> str:
    """The first free id like ``s3``."""
    n = 1
    while f"{stem}{n}" in taken:
        n += 1
    return f"{stem}{n}"


def keyable(info: Any) -> dict[str, Any]:
    """What stands beside a field that can be keyed.

    Raises
    ------
    PlaceError
        It cannot.
    """
    extra = described(info)
    if not extra.get("animatable"):
        raise PlaceError(f"{info.title} cannot be keyed.")
    return extra


def begun(info: Any, value: Any, t: float) -> Curve:
    """The channel that a constant becomes when it is first keyed: sizes and distances blend by ratios."""
    extra = keyable(info)
    ratio = extra.get("log") and isinstance(value, int | float) and value > 0 and float(extra["low"]) > 0
    return key_edits.channel_of(value, t, **({"blend": "ratio"} if ratio else {}))


def checked(make: Callable[..., Any], what: str, *arguments: Any) -> Any:
    """What ``make`` gives; what is wrong with a channel is told in one sentence.

    Raises
    ------
    PlaceError
    """
    try:
        return make(*arguments)
    except ValidationError as error:
        raise PlaceError(f"{what}: {error.errors()[0]['msg'].removeprefix('Value error, ')}.") from None


def named(value: Any, info: Any) -> str:
    """A field and its value in plain words."""
    title = (info.title or "value").lower()
    if isinstance(value, bool):
        return f"{title} {'on' if value else 'off'}"
    if isinstance(value, int | float):
        return f"{title} {show(float(value), unit_of(info))}"
    if isinstance(value, dt.datetime):
        return f"{title} {value:%Y-%m-%d %H:%M}"
    if isinstance(value, str) and len(value) < 30:
        return f"{title} {value}"
    if value is None:
        return f"no {title}"
    return f"changed {title}"
