"""Edits of a shot's route and of the shots themselves: stations in order and in time, paths that are laid anew, shots
added and taken away."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel, Key
from lumwick.motion.timebase import RATES
from lumwick.place.document import Id, Piece, Place, Point3, Shot, Station
from lumwick.place.timing import Command, shot_of


class OrderStation(Command):
    """Put a station elsewhere in the order of its route."""

    op: Literal["order_station"]
    shot: Id
    station: Id
    to: int


class DuplicateStation(Command):
    """A station like another, a step to its right, next in order."""

    op: Literal["duplicate_station"]
    shot: Id
    station: Id


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


class TimeStations(Command):
    """When each station is met; from then on stations' times say the pace."""

    op: Literal["time_stations"]
    shot: Id
    times: list[float | None]


class InBetweens(Command):
    """As many steps from each station to the next as said: the shot gets its length from them."""

    op: Literal["in_betweens"]
    shot: Id
    steps: int = Field(ge=1, le=10000)


class DrawPace(Command):
    """A pacing curve drawn by hand: clip times [s] and speeds against the usual."""

    op: Literal["draw_pace"]
    shot: Id
    points: list[tuple[float, float]] = Field(max_length=2000)


class Reshoot(Command):
    """A shot as something else made it anew: a repair, a path laid or brought in."""

    op: Literal["reshoot"]
    shot: Shot
    label: str = Field(max_length=160)


class DuplicateShot(Command):
    """A shot like another, next in order."""

    op: Literal["duplicate_shot"]
    shot: Id


class RemoveShot(Command):
    op: Literal["remove_shot"]
    shot: Id


class SetCut(Command):
    """The film's pieces anew, in their order."""

    op: Literal["set_cut"]
    pieces: list[Piece] = Field(max_length=400)
    label: str = Field("cut the film", max_length=120)


COMMANDS = (
    SetCut,
    OrderStation,
    DuplicateStation,
    UpdateStation,
    TimeStations,
    InBetweens,
    DrawPace,
    Reshoot,
    DuplicateShot,
    RemoveShot,
)


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


def change(draft: Place, edit: Any) -> str | None:
    """Make an edit of this kind on a draft; its name in plain words, or None if it is of another kind.

    Raises
    ------
    PlaceError
        It does not fit the place.
    """
    match edit:
        case OrderStation():
            stations = shot_of(draft, edit.shot).route.stations
            i, station = station_of(shot_of(draft, edit.shot), edit.station)
            del stations[i]
            to = max(0, min(edit.to, len(stations)))
            stations.insert(to, station)
            return f"station {i + 1} is now number {to + 1}"
        case DuplicateStation():
            shot = shot_of(draft, edit.shot)
            i, station = station_of(shot, edit.station)
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
        case UpdateStation():
            shot = shot_of(draft, edit.shot)
            i, station = station_of(shot, edit.station)
            roll = {} if edit.roll is None else {"roll": edit.roll or None}
            shot.route.stations[i] = station.model_copy(
                update={
                    "east": edit.east,
                    "north": edit.north,
                    "up": edit.up,
                    "aim": edit.aim,
                    "focal": edit.focal,
                    **roll,
                }
            )
            return f"station {i + 1} from the look"
        case TimeStations():
            route = shot_of(draft, edit.shot).route
            if len(edit.times) != len(route.stations):
                raise PlaceError(
                    f"This route has {len(route.stations)} stations, and {len(edit.times)} times were given."
                )
            route.stations = [s.model_copy(update={"time": t}) for s, t in zip(route.stations, edit.times, strict=True)]
            route.timing = "by stations"
            return "timed the stations"
        case InBetweens():
            shot = shot_of(draft, edit.shot)
            n = len(shot.route.stations)
            if n < 2:
                raise PlaceError("In-betweens need two stations at least.")
            rate = RATES[shot.fps]
            shot.frames = (n - 1) * edit.steps + 1
            shot.route.stations = [
                s.model_copy(update={"time": round(float(i * edit.steps / rate), 6), "stay": 0.0})
                for i, s in enumerate(shot.route.stations)
            ]
            shot.route.timing = "by stations"
            return f"{edit.steps} steps between stations: {shot.frames} frames"
        case DrawPace():
            route = shot_of(draft, edit.shot).route
            points = sorted((t, min(max(v, 0.0), 20.0)) for t, v in edit.points)
            kept = [p for i, p in enumerate(points) if not i or p[0] - points[i - 1][0] > 1e-3]
            route.pace = (
                Channel(keys=tuple(Key(t=round(t, 4), v=round(v, 4), join="smooth") for t, v in kept)) if kept else 1.0
            )
            return "drew the pacing" if kept else "pacing is even"
        case Reshoot():
            for i, shot in enumerate(draft.shots):
                if shot.id == edit.shot.id:
                    draft.shots[i] = edit.shot
                    return edit.label
            raise PlaceError("This shot is not there any more.")
        case SetCut():
            draft.cut.pieces = list(edit.pieces)
            return edit.label
        case DuplicateShot():
            shot = shot_of(draft, edit.shot)
            i = draft.shots.index(shot)
            name = f"{shot.name[:70]}, again"
            draft.shots.insert(
                i + 1,
                shot.model_copy(deep=True, update={"id": fresh_id([s.id for s in draft.shots], "shot"), "name": name}),
            )
            return f"duplicated shot {shot.name}"
        case RemoveShot():
            shot = shot_of(draft, edit.shot)
            if len(draft.shots) == 1:
                raise PlaceError("A place keeps one shot at least.")
            draft.shots.remove(shot)
            draft.cut.pieces = [piece for piece in draft.cut.pieces if piece.shot != shot.id]
            return f"removed shot {shot.name}"
    return None
