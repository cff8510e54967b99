"""The chart: a place drawn like a survey sheet, as data for SVG."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from functools import partial
from typing import Any

import contourpy
import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.built.floors import model_of
from lumwick.built.outline import outline
from lumwick.disk_cache import digest
from lumwick.errors import LumwickError, PlaceError
from lumwick.land.ground import Ground
from lumwick.lens.lens import Lens
from lumwick.motion.channel import Channel, ColourChannel, MomentChannel
from lumwick.motion.timebase import RATES
from lumwick.place.document import Place as Document
from lumwick.place.document import Shot
from lumwick.place.film import laid_out, pieces_of
from lumwick.place.instant import Motions
from lumwick.place.objects import Thing
from lumwick.place.paths import value_name
from lumwick.plant_sheet import span_of
from lumwick.route.camera_path import goes
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.planted import Planted, planted
from lumwick.snapshot.riding.sampled import ride, speed_in_words

KEPT_AT_MOST = 64
"""Sheets of contours and of plants that are kept, the latest used."""
_kept: OrderedDict[str, Any] = OrderedDict()


def _remembered(key: str, make: Callable[[], Any]) -> Any:
    """What was drawn before under a digest of all that it is made from, or is drawn now."""
    if key in _kept:
        _kept.move_to_end(key)
        return _kept[key]
    _kept[key] = made = make()
    while len(_kept) > KEPT_AT_MOST:
        _kept.popitem(last=False)
    return made


def _path(line: np.ndarray, tolerance: float) -> str:

    p = np.asarray(shapely.simplify(shapely.LineString(line), tolerance).coords)
    return "M" + "L".join(f"{x:.1f} {-y:.1f}" for x, y in p)


def _contours(g: Ground, sea: float | None) -> dict[str, Any]:
    interval = g.contour_interval()
    w, s, e, n = g.bounds
    tolerance = (e - w) / 1500
    lines = [
        {"z": z, "d": _path(line, tolerance), "index": bool(round(z / interval) % 5 == 0)}
        for z, line in g.contours(interval, 1.6)
        if len(line) > 8 and (sea is None or z > sea + 1e-6 or z < sea - 1e-6)
    ]
    water = ""
    if sea is not None:
        ny, nx = g.heights.shape
        f = contourpy.contour_generator(
            g.west + np.arange(nx) * g.spacing,
            g.south + np.arange(ny) * g.spacing,
            np.asarray(g.heights, float),
            fill_type=contourpy.FillType.OuterOffset,
        )
        filled: Any = f.filled(-1e9, sea)
        polygons, offsets = filled
        for points, off in zip(polygons, offsets, strict=True):
            for a, b in zip(off[:-1], off[1:], strict=True):
                if b - a > 6:
                    water += _path(points[a:b], tolerance) + "Z"
    return {"interval": interval, "lines": lines, "water": water, "bounds": [round(v, 2) for v in (w, s, e, n)]}


def chart_key(setting: Setting) -> str:
    """A digest of all that the chart draws: the page asks for a new chart only when it changes."""
    p = setting.place
    return digest(
        p.land.elevation,
        list(p.growth),
        list(p.waters),
        list(p.banks),
        list(p.ways),
        list(p.built),
        list(p.things),
        list(p.lamps),
        p.sea.present,
        p.sea.level,
        p.site.north_turn,
    )


def chart(setting: Setting) -> dict[str, Any]:
    """Contours, water, stands and built things, in metres with north up (SVG's y is minus north)."""
    stood = dict((thing.id, placed) for thing, placed in setting.stood(setting.place.shots[0]))
    setting = setting.still()
    place = setting.place
    sea = place.sea.level if place.sea.present else None
    ground = setting.ground
    base = _remembered(digest("contours", ground.fingerprint, sea), lambda: _contours(ground, sea))
    stands: dict[str, dict[str, Any]] = {}
    for one in planted(setting):
        stand = one.whole
        shown = stands.setdefault(
            stand.id,
            {
                "id": stand.id,
                "name": stand.name,
                "kind": stand.kind,
                "area": [[round(x, 1), round(y, 1)] for x, y in stand.area],
                "dots": [],
                "front": stand.front.points if stand.front is not None and stand.front.of != "water" else [],
                "along": stand.front is not None and stand.front.of == "line",
            },
        )
        if one.stand.single:
            shown["dots"] = [*shown["dots"], *_remembered(digest("dots", one.key), partial(_dots, one))]
    built = [
        {"id": b.id, "name": b.name, "kind": b.kind, "line": b.line, "width": b.width, "turn": b.turn}
        for b in place.built
    ]
    waters = [
        {"id": w.id, "name": w.name, "kind": w.kind, "line": w.line, "trouble": bed.trouble, "shape": _shape(bed.shape)}
        for w, bed in zip(place.waters, setting.beds() if place.waters else (), strict=True)
    ]
    marks = [
        {"id": m.id, "name": m.name, "of": "things", **_from_above(setting, m, stood[m.id])}
        for m in place.things
        if m.id in stood
    ] + [{"id": m.id, "name": m.name, "of": "lamps", "east": m.east, "north": m.north} for m in place.lamps]
    ways = [{"id": w.id, "name": w.name, "line": w.line, "width": w.width} for w in place.ways]
    return {
        **base,
        "ways": ways,
        "waters": waters,
        "banks": [
            {
                "id": b.id,
                "name": b.name,
                "only": b.only,
                "area": [[x + b.moved_east, y + b.moved_north] for x, y in b.area],
            }
            for b in place.banks
        ],
        "stands": list(stands.values()),
        "built": built,
        "marks": marks,
        "north": place.site.north_turn,
    }


def _shape(shape: Any) -> str:
    """A water's outline as a path, y being minus north."""
    if shape is None:
        return ""
    return "".join(_path(np.asarray(ring.coords), 0.05) + "Z" for ring in (shape.exterior, *shape.interiors))


def _from_above(setting: Setting, thing: Thing, placed: NDArray[np.float64]) -> dict[str, Any]:
    """A model's outline in its own metres, where it stands, and how it is turned and scaled; no outline if its file
    cannot be used."""
    try:
        rings = _remembered(digest("outline", *thing.form), lambda: outline(model_of(setting.read, thing)))
    except LumwickError:
        rings = []  # the look says what is wrong with it
    alone = thing.copies is None
    if thing.held or thing.rolls or thing.floats:
        east, north = (float(v) for v in placed[0, :2, 3])
        turn = float(np.degrees(np.arctan2(-placed[0, 1, 0], placed[0, 0, 0]))) - setting.place.site.north_turn
    else:
        east, north, turn = thing.east, thing.north, thing.turn
    where = {"rings": rings, "east": east, "north": north, "turn": turn, "scale": thing.scale}
    return where if alone else {**where, **_others(placed, (east, north), sum(map(len, rings)))}


POINTS_OF_COPIES, COPIES_AT_LEAST = 8000, 40
"""Points of outlines that the chart draws of a model's copies, about, and copies that it draws whatever they take."""


def _others(placed: NDArray[np.float64], at: tuple[float, float], points: int) -> dict[str, Any]:
    """Where a model's copies stand, from where it stands itself: east and north [m], turn and size."""
    most = max(COPIES_AT_LEAST, POINTS_OF_COPIES // max(points, 1))
    placed = placed[:: -(-len(placed) // most)]
    turn = np.degrees(np.arctan2(-placed[:, 1, 0], placed[:, 0, 0]))
    size = np.linalg.norm(placed[:, :, 0], axis=1)
    rows = np.stack([placed[:, 0, 3] - at[0], placed[:, 1, 3] - at[1], turn, size], 1)
    return {"others": np.round(rows, 4).tolist()}


DOTS_AT_MOST = 700
"""Plants of a stand that the chart draws, about."""


def _dots(one: Planted) -> list[list[float]]:
    """East, north and size [m] of some of a stand's plants."""
    plants = one.plants(one.setting.ground.slope())
    crown = span_of(one.stand)[1] / 2
    every = max(1, len(plants.turn) // DOTS_AT_MOST)
    return [
        [round(float(x), 1), round(float(y), 1), round(float(size) * crown, 1)]
        for (x, y, _), size in zip(plants.position[::every], plants.scale[::every], strict=True)
    ]


def route_drawing(setting: Setting, shot: Shot, count: int = 121) -> dict[str, Any]:
    """The route's line, camera and section over the clip, sampled for drawing; what is wrong with it is asked for
    apart. Focal lengths are told for 36 mm, as the look's camera has them."""

    def lens_of(focal: Any) -> Lens:
        return Lens(focal, shot.exposure.sensor)

    stations = [
        {
            "id": s.id,
            "name": s.name,
            "east": s.east,
            "north": s.north,
            "up": s.up,
            "aim": s.aim,
            "focal": round(lens_of(s.focal).full_frame_mm, 4),
            "join": s.join,
            "stay": s.stay,
        }
        for s in shot.route.stations
    ]
    if not goes(shot.route):
        return {"stations": stations, "samples": [], "summary": "", "fault": ""}
    try:
        way = setting.camera_path(shot)
        r = ride(setting, shot, count, way)
    except LumwickError as error:
        return {"stations": [{**s, "t": 0.0} for s in stations], "samples": [], "summary": "", "fault": str(error)}
    columns = (
        r.t,
        r.position[:, 0],
        r.position[:, 1],
        r.position[:, 2],
        r.poses.bearing % 360,
        r.poses.pitch,
        lens_of(r.poses.focal).full_frame_mm,
        r.floor,
        r.speed,
        r.turning,
    )
    pace = shot.route.pace
    for s, t in zip(stations, way.arrive, strict=True):
        s["t"] = round(float(t), 4) if np.isfinite(t) else None
        if np.isfinite(t) and shot.route.way == "walk":
            s["up"] = round(float(way.at(t).position[0, 2]), 3)
    mean = float(r.along[-1] / shot.seconds)
    return {
        "stations": stations,
        "samples": [[round(float(v), 3) for v in row] for row in zip(*columns, strict=True)],
        "fault": "",
        "changes": [round(c, 4) for c in way.changes],
        "pace": [[key.t, key.v] for key in pace.keys] if isinstance(pace, Channel) else [],
        "summary": f"{r.along[-1]:.0f} m in {shot.seconds:.1f} s, {mean:.1f} m/s: {speed_in_words(mean)}",
    }


def film_drawing(place: Document) -> dict[str, Any]:
    """The film as it is cut: its pieces with where they lie in it."""
    try:
        spliced, fault = laid_out(place), ""
    except PlaceError as error:
        spliced, fault = [], str(error)
    pieces = [
        {
            "id": s.piece.id,
            "shot": s.shot.id,
            "name": s.shot.name,
            "first": s.first,
            "last": s.last,
            "begins": s.begins,
            "ends": s.ends,
            "join": s.piece.join,
            "over": s.piece.over,
            "of": s.shot.frames,
        }
        for s in spliced
    ]
    return {
        "fps": place.cut.fps,
        "rate": float(RATES[place.cut.fps]),
        "frames": spliced[-1].ends - 1 if spliced else 0,
        "pieces": pieces,
        "cut": bool(place.cut.pieces),
        "fault": fault,
        "fade_in": place.cut.fade_in,
        "fade_out": place.cut.fade_out,
        "kept": [piece.model_dump() for piece in pieces_of(place)],
    }


def lanes(setting: Setting, shot: Shot, motions: Motions, count: int = 481) -> list[dict[str, Any]]:
    """All that moves in a shot, as the timeline draws it: keys, rules, and (with small motions) what comes of them."""
    grid = np.linspace(-0.25 * shot.seconds, 1.25 * shot.seconds, count)
    out = []
    for mover in motions.movers:
        curve = mover.curve
        kind = (
            "colour" if isinstance(curve, ColourChannel) else "moment" if isinstance(curve, MomentChannel) else "number"
        )
        terms = getattr(curve, "terms", ())
        numbers = curve.numbers()[0] if kind == "moment" else None
        keys = [
            {**key.model_dump(mode="json"), **({"n": float(numbers[i])} if numbers is not None else {})}
            for i, key in enumerate(curve.keys)
        ]
        lane = {
            "path": mover.path,
            "title": mover.title,
            "whose": value_name(setting.place, mover.path),
            "unit": mover.unit,
            "kind": kind,
            "turn": mover.turn,
            "keys": keys,
            "before": curve.before,
            "after": curve.after,
            "blend": curve.blend,
            "low": mover.low if np.isfinite(mover.low) else None,
            "high": mover.high if np.isfinite(mover.high) else None,
            "terms": [term.model_dump() for term in terms],
        }
        if terms:
            lane["from"], lane["to"] = float(grid[0]), float(grid[-1])
            lane["samples"] = [float(f"{v:.6g}") for v in motions.value(mover.path, grid)]
        out.append(lane)
    return out
