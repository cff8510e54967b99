"""One plant of a stand by itself: on neutral grey beside somebody for scale, still or moving in the place's wind."""

from __future__ import annotations

import datetime as dt
import io
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from lumwick.built.floors import Read, mesh_of
from lumwick.errors import PlaceError
from lumwick.growth.custom_plant import stood
from lumwick.growth.form_cache import blades_of, habit_of
from lumwick.land.ground import Ground
from lumwick.motion.timebase import RATES, frame_time
from lumwick.place.document import Place, Shot
from lumwick.place.fields import Asset
from lumwick.place.filming import Clock, Exposure, Route, Station
from lumwick.place.growing import Spot, Stand
from lumwick.place.instant import Motions
from lumwick.place.nature import Land, Sea, Site, Wind
from lumwick.place.objects import Shape, Surface, Thing
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.motion_vectors import silhouette
from lumwick.trace.stage import Stage

TALL = 1.75
"""Height of the figure [m]."""
GREY, FIGURE = "#8f8f8f", "#5d6b78"
FOCAL, ASPECT = 50.0, 4 / 3
"""The lens [mm], and a sheet's width over its height."""
GROUND = Ground(np.zeros((33, 33), np.float32), 8.0, -128.0, -128.0)


@dataclass(frozen=True)
class Sheet:
    """What is looked at.

    Attributes
    ----------
    month : float
        Of the year.
    grown : float
    turn : float [degrees]
        From where one looks.
    wind : float [m/s]
        10 m above the ground.
    figure : bool
        Whether somebody stands beside it.
    bare : bool
        Without ground and figure, against the sky alone, for silhouettes.
    seconds : float
        Length of a clip of it, which closes.
    """

    month: float = 7.0
    grown: float = 1.0
    turn: float = 0.0
    wind: float = 4.0
    figure: bool = True
    bare: bool = False
    seconds: float = 4.0


def span_of(stand: Stand, read: Read | None = None) -> tuple[float, float]:
    """How high and how wide a plant of a stand is, or a few tufts of it, [m]; ``read`` gives a model's file."""
    if stand.own is not None and read is not None:
        low, high = stood(mesh_of(read, stand.own), float(stand.height)).bounds
        return float(stand.height), 2 * float(np.abs([low[:2], high[:2]]).max())
    habit = habit_of(stand)
    if habit is not None:
        return float(stand.height), 2 * max(radius for _, radius in habit.crown) * float(stand.height)
    return 1.15 * float(stand.height), 2.2


def sheet(stand: Stand, asked: Sheet, of: Setting | None = None) -> tuple[Setting, Shot]:
    """A place with a plant of a stand alone, and a shot of it.

    Parameters
    ----------
    stand : Stand
        At an instant: constants alone.
    of : Setting or None
        Of the place in whose gusts it stands, and which has its model if it is one of one's own.
    """
    high, wide = span_of(stand, of.read if of else None)
    # what is low is seen close by, and of the figure its legs
    shown = max(1.06 * high, 0.75)
    beside = asked.figure and not asked.bare
    aside = 0.32 + 0.03 * shown if beside else 0.0
    across = wide + (aside + 0.4 if beside else 0.0)
    far = FOCAL / 36 * 1.12 * max(shown * ASPECT, across)
    size = max(shown, across / ASPECT)
    things = [] if asked.bare else [_sweep(size, asked.turn)]
    things += _figure(0.5 * wide + aside, asked.turn) if beside else []
    a = np.radians(asked.turn)
    side, way = np.array([np.cos(a), -np.sin(a)]), np.array([np.sin(a), np.cos(a)])
    middle = np.array([*(side * 0.5 * (across - wide)), 0.485 * shown])
    shot = _shot(middle + far * np.array([-way[0], -way[1], 0.05]), middle, asked.seconds)
    gusty = of.place.wind.gustiness if of and isinstance(of.place.wind.gustiness, float) else 0.22
    made = Place(
        name="Plant sheet",
        site=Site(latitude=50.0, longitude=0.0),
        land=Land(elevation=Asset(sha256="0" * 64, name="flat.tif", bytes=1), cover="upland"),
        sea=Sea(present=False),
        wind=Wind(speed=asked.wind, from_bearing=float(asked.turn) % 360, gustiness=gusty),
        growth=[_alone(stand, asked)],
        surfaces=[
            Surface(id="grey", name="Grey", colour=GREY, roughness=1.0),
            Surface(id="figure", name="Figure", colour=FIGURE, roughness=0.9),
        ],
        things=things,
        shots=[shot],
    )
    return (Setting(made, GROUND, of.read) if of else Setting(made, GROUND)), shot


def _alone(stand: Stand, asked: Sheet) -> Stand:
    """The stand with one plant in the middle, or a few tufts."""
    woody = stand.single
    step = 0.8 * getattr(blades_of(stand), "spread", 0.5)
    grid = [(0, 0)] if woody else [(i, j) for i in (-1, 0, 1) for j in (-1, 0, 1)]
    spots = [
        Spot(
            id=f"t{k}",
            east=i * step,
            north=j * step,
            turn=0.0 if woody else 37.0 * k,
            size=1.0 if woody else 0.95 + 0.05 * i,
        )
        for k, (i, j) in enumerate(grid)
    ]
    where = {"among": [], "area": [], "on": "", "singles": spots, "only_singles": True, "upright": None, "front": None}
    when = {"leaves": "by the dial", "month": asked.month, "grown": asked.grown}
    return stand.model_copy(
        update={
            **where,
            **when,
            "per_hectare": stand.per_hectare if woody else 30000.0,
            "lowest": -1000.0,
            "highest": 9000.0,
        }
    )


def _shot(eye: NDArray[np.float64], aim: NDArray[np.float64], seconds: float) -> Shot:
    """A clip that closes, from where the camera stands."""
    station = Station(
        id="s1",
        east=float(eye[0]),
        north=float(eye[1]),
        up=float(eye[2]),
        aim=(float(aim[0]), float(aim[1]), float(aim[2])),
        focal=FOCAL,
    )
    focus = float(np.linalg.norm(aim - eye))
    return Shot(
        id="sheet",
        name="Sheet",
        frames=max(2, round(seconds * 24)),
        fps="24",
        loop=True,
        clock=Clock(start=dt.datetime(2026, 6, 15, 9, 40)),
        exposure=Exposure(ev100=13.9, kelvin=5600, focus=focus, f_number=11.0),
        route=Route(way="fixed", stations=[station]),
    )


def stand_at(place: Place, shot: Shot, name: str, t: float) -> Stand:
    """A stand as it is at a clip time, by its id or name.

    Raises
    ------
    PlaceError
        There is none.
    """
    still = Motions(place, shot).at(t)[0]
    found = next((one for one in still.growth if name in (one.id, one.name)), None)
    if found is None:
        known = ", ".join(one.id for one in place.growth) or "none"
        raise PlaceError(f"There is no stand {name!r}: this place has {known}.")
    return found


def silhouettes(
    stand: Stand, asked: Sheet, size: tuple[int, int] = (256, 256), of: Setting | None = None
) -> Iterator[NDArray[np.uint8]]:
    """A plant as thrown shadows need it: black on white, frame by frame of a clip that closes, (height, width)."""
    setting, shot = sheet(stand, replace(asked, bare=True), of)
    stage, rate = Stage(setting), RATES[shot.fps]
    for frame in range(shot.frames):
        yield silhouette(stage, evaluate(setting, shot, frame_time(frame, rate)), size)


def frames_zip(frames: Iterator[NDArray[np.uint8]]) -> bytes:
    """A zip of numbered PNG frames (height, width), as a gobo takes them."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as z:
        for number, frame in enumerate(frames, 1):
            held = io.BytesIO()
            Image.fromarray(frame).save(held, "PNG")
            z.writestr(zipfile.ZipInfo(f"{number:04d}.png", (1980, 1, 1, 0, 0, 0)), held.getvalue())
    return out.getvalue()


def _sweep(size: float, turn: float) -> Thing:
    """Grey paper under and behind the plant."""
    a, behind = np.radians(turn), 0.4 * size
    return Thing(
        id="sweep",
        name="Sweep",
        shape=Shape(kind="sweep", width=9 * size, depth=5 * size, height=2.6 * size, curve=min(0.8 * size, 100.0)),
        east=float(np.sin(a) * -behind),
        north=float(np.cos(a) * -behind),
        up=0.005,
        turn=turn,
        surface="grey",
    )


def _figure(aside: float, turn: float) -> list[Thing]:
    """Somebody for scale, of plain forms."""
    a = np.radians(turn)
    parts = (
        ("left-leg", Shape(kind="cylinder", width=0.13, depth=0.15, height=0.84), -0.09, 0.0),
        ("right-leg", Shape(kind="cylinder", width=0.13, depth=0.15, height=0.84), 0.09, 0.0),
        ("hips", Shape(kind="ball", width=0.34, depth=0.22, height=0.26), 0.0, 0.74),
        ("chest", Shape(kind="ball", width=0.38, depth=0.22, height=0.62), 0.0, 0.84),
        ("left-arm", Shape(kind="cylinder", width=0.075, depth=0.085, height=0.68), -0.22, 0.70),
        ("right-arm", Shape(kind="cylinder", width=0.075, depth=0.085, height=0.68), 0.22, 0.70),
        ("neck", Shape(kind="cylinder", width=0.10, depth=0.10, height=0.12), 0.0, 1.42),
        ("head", Shape(kind="ball", width=0.155, depth=0.19, height=0.24), 0.0, TALL - 0.24),
    )
    return [
        Thing(
            id=name,
            name=name,
            shape=form,
            east=float((aside + off) * np.cos(a)),
            north=float(-(aside + off) * np.sin(a)),
            up=up,
            turn=turn,
            surface="figure",
        )
        for name, form, off, up in parts
    ]
