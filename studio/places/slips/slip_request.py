"""What the slip is asked for, and the columns that it is made of."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from lumwick.place.describe import FieldView, fields, whole_at
from lumwick.place.document import Place, Shot

Column = dict[str, Any]


@dataclass(frozen=True)
class SlipRequest:
    """A bench's question: what is selected, in which shot, and under which tab.

    Attributes
    ----------
    now : Place
        With every value as it is at the playhead.
    """

    place: Place
    shot: Shot
    selected: str
    tab: str
    now: Place

    @classmethod
    def at(cls, place: Place, shot: Shot, selected: str, tab: str, t: float) -> SlipRequest:
        """The question at clip time ``t`` [s]."""
        return cls(place, shot, selected, tab, whole_at(place, shot, t))

    @property
    def base(self) -> str:
        """The shot's own path."""
        return f"/shots/{self.shot.id}"

    def chosen(self, items: Any) -> Any:
        """The one that is selected, or None."""
        return next((item for item in items if item.id == self.selected), None)

    def fields(self, model: Any, path: str, names: tuple[str, ...] = ()) -> list[FieldView]:
        """Some of a model's fields, or all."""
        return fields(model, path, self.now, *((names,) if names else ()))

    def column(self, title: str, model: Any, path: str, names: tuple[str, ...], **more: Any) -> Column:
        """A column of some of a model's fields under a title."""
        return column(title, self.fields(model, path, names), **more)

    def clock(self) -> Column:
        """The shot's date, hour and speed of the day."""
        return column("Clock", self.fields(self.shot.clock, f"{self.base}/clock"))

    def exposure(self, names: tuple[str, ...], title: str = "Exposure") -> Column:
        """Some of the shot's settings of exposure and lens."""
        return self.column(title, self.shot.exposure, f"{self.base}/exposure", names)


def column(title: str, views: list[FieldView], **more: Any) -> Column:
    """A column of fields; under its title a field need not repeat it."""
    start = f"{title}, "
    short = [
        replace(v, title=v.title.removeprefix(start).capitalize()) if v.title.startswith(start) else v for v in views
    ]
    return {"title": title, "fields": short, **more}


def note_column(title: str, note: str, **more: Any) -> Column:
    """A column that teaches the next step."""
    return {"title": title, "fields": [], "note": note, **more}


def chosen_of(title: str, path: str, now: str, options: list[tuple[str, str]]) -> Column:
    """A field whose value is one of the place's own things: options by id and name."""
    return {"title": title, "path": path, "now": now, "options": options}


def listed(items: Any) -> list[dict[str, str]]:
    """Things to pick from, by id and name."""
    return [{"id": item.id, "name": item.name} for item in items]
