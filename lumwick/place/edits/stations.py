"""Edits of a route's stations: their places, order and times."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel, Key
from lumwick.motion.timebase import RATES, joined_views
from lumwick.place.document import Place
from lumwick.place.edits.base import Command, fresh_id, shot_of, station_of
from lumwick.place.fields import Id, Point3
from lumwick.place.filming import Station


class MoveStation(Command):
    """Move a station; what it aims at moves along unless an aim is given."""

    op: Literal["move_station"]
    shot: Id
    station: Id
    east: float
    north: float
    up: float | None = None
    aim: tuple[float, float, float] | None = None

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        i, old_station = station_of(shot, self.station)
        up = old_station.up if self.up is None else self.up
        shift = (self.east - old_station.east, self.north - old_station.north, up - old_station.up)
        aim = self.aim or tuple(a + d for a, d in zip(old_station.aim, shift, strict=True))
        moved = self.aim is None or any(abs(d) > 1e-6 for d in shift)
        shot.route.stations[i] = old_station.model_copy(
            update={"east": self.east, "north": self.north, "up": up, "aim": aim}
        )
        return f"{'moved' if moved else 'aimed'} station {i + 1}"


class AddStation(Command):
    op: Literal["add_station"]
    shot: Id
    station: Station
    index: int | None = None

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        index = len(shot.route.stations) if self.index is None else max(0, min(self.index, len(shot.route.stations)))
        shot.route.stations.insert(index, self.station)
        return f"set station {index + 1}"


class RemoveStation(Command):
    op: Literal["remove_station"]
    shot: Id
    station: Id

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        i, _ = station_of(shot, self.station)
        del shot.route.stations[i]
        return f"removed station {i + 1}"


class OrderStation(Command):
    """Put a station elsewhere in the order of its route."""

    op: Literal["order_station"]
    shot: Id
    station: Id
    to: int

    def apply(self, draft: Place) -> str:
        stations = shot_of(draft, self.shot).route.stations
        i, station = station_of(shot_of(draft, self.shot), self.station)
        del stations[i]
        to = max(0, min(self.to, len(stations)))
        stations.insert(to, station)
        return f"station {i + 1} is now number {to + 1}"


class DuplicateStation(Command):
    """A station like another, a step to its right, next in order."""

    op: Literal["duplicate_station"]
    shot: Id
    station: Id

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        i, station = station_of(shot, self.station)
        d = (station.aim[0] - station.east, station.aim[1] - station.north)
        size = max((d[0] ** 2 + d[1] ** 2) ** 0.5, 1e-9)
        right = (d[1] / size, -d[0] / size)
        copy = station.model_copy(
            update={
                "id": fresh_id([s.id for s in shot.route.stations], "s"),
                "time": None,
                "east": round(station.east + right[0], 3),
                "north": round(station.north + right[1], 3),
                "aim": (round(station.aim[0] + right[0], 3), round(station.aim[1] + right[1], 3), station.aim[2]),
            }
        )
        shot.route.stations.insert(i + 1, copy)
        return f"duplicated station {i + 1}"


class UpdateStation(Command):
    """Store another view in a station; its name, times and what else it sets stay."""

    op: Literal["update_station"]
    shot: Id
    station: Id
    east: float
    north: float
    up: float
    aim: Point3
    focal: float
    roll: float | None = None

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        i, station = station_of(shot, self.station)
        roll = {} if self.roll is None else {"roll": self.roll or None}
        shot.route.stations[i] = station.model_copy(
            update={
                "east": self.east,
                "north": self.north,
                "up": self.up,
                "aim": self.aim,
                "focal": self.focal,
                **roll,
            }
        )
        return f"station {i + 1} from the look"


class TimeStations(Command):
    """When each station is met; from then on stations' times say the pace."""

    op: Literal["time_stations"]
    shot: Id
    times: list[float | None]

    def apply(self, draft: Place) -> str:
        route = shot_of(draft, self.shot).route
        if len(self.times) != len(route.stations):
            raise PlaceError(f"This route has {len(route.stations)} stations, and {len(self.times)} times were given.")
        route.stations = [s.model_copy(update={"time": t}) for s, t in zip(route.stations, self.times, strict=True)]
        route.timing = "by stations"
        return "timed the stations"


class InBetweens(Command):
    """As many steps from each station to the next as said: the shot gets its length from them."""

    op: Literal["in_betweens"]
    shot: Id
    steps: int = Field(ge=1, le=10000)

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        n = len(shot.route.stations)
        if n < 2:
            raise PlaceError("Steps between stations need two of them at least.")
        rate = RATES[shot.fps]
        shot.frames = joined_views(n, self.steps)
        shot.route.stations = [
            s.model_copy(update={"time": round(float(i * self.steps / rate), 6), "stay": 0.0})
            for i, s in enumerate(shot.route.stations)
        ]
        shot.route.timing = "by stations"
        return f"{self.steps} steps between stations: {shot.frames} frames"


class DrawPace(Command):
    """A pacing curve drawn by hand: clip times [s] and speeds against the usual."""

    op: Literal["draw_pace"]
    shot: Id
    points: list[tuple[float, float]] = Field(max_length=2000)

    def apply(self, draft: Place) -> str:
        route = shot_of(draft, self.shot).route
        points = sorted((t, min(max(v, 0.0), 20.0)) for t, v in self.points)
        kept = [p for i, p in enumerate(points) if not i or p[0] - points[i - 1][0] > 1e-3]
        keys = tuple(Key(t=round(t, 4), v=round(v, 4), join="smooth") for t, v in kept)
        pace: Any = Channel(keys=keys) if keys else 1.0
        route.pace = pace
        return "drew the pacing" if kept else "pacing is even"


COMMANDS = (
    MoveStation,
    AddStation,
    RemoveStation,
    OrderStation,
    DuplicateStation,
    UpdateStation,
    TimeStations,
    InBetweens,
    DrawPace,
)
