"""Paths brought in: drawn lines (SVG, DXF), walks (GPX), tables (CSV) and cameras (glTF, USD)."""

from __future__ import annotations

import csv
import io
import os
import re
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath
from typing import Any
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation, Slerp

from lumwick.errors import RouteError
from lumwick.lens.lens import FULL_FRAME_MM, Lens
from lumwick.place.document import Site
from lumwick.route.track import COLUMNS, Track, pose_angles, read_track

Floats = NDArray[np.float64]
KINDS = (".csv", ".svg", ".dxf", ".gpx", ".glb", ".gltf", ".usd", ".usda", ".usdc", ".usdz")
METRES = {"m": 1.0, "ft": 0.3048, "cm": 0.01, "mm": 0.001, "km": 1000.0, "in": 0.0254, "yd": 0.9144}
POINTS_AT_MOST = 5_000_000
GRID = 1 / 120
"""Seconds between samples of a camera whose file does more than go straight from key to key."""
FARTHEST = 200_000.0
"""Metres from the place's origin at which a path cannot belong to it."""


class AskUnit(RouteError):
    """The file does not say in what its lengths are: say it once."""


class AskWhich(RouteError):
    """The file holds more than one path: choose one of ``names``."""

    def __init__(self, text: str, names: list[str]) -> None:
        super().__init__(text)
        self.names = names


@dataclass(frozen=True)
class Path3:
    """One path of a file.

    Attributes
    ----------
    points : ndarray, shape (n, 3) [the file's unit, then m]
        East, north, up.
    heights : bool
        Whether the heights mean something.
    times : ndarray, shape (n,) [s] or None
    aims : ndarray, shape (n, 3) or None
        Points looked at.
    track : Track or None
        Of a camera: everything by time, in metres.
    unit : str
        Of the points; empty if the file does not say.
    """

    name: str
    points: Floats
    heights: bool = True
    times: Floats | None = None
    aims: Floats | None = None
    track: Track | None = None
    unit: str = "m"
    note: str = ""


def read_path(data: bytes, name: str, site: Site, unit: str = "", which: str = "", rate: float = 24.0) -> Path3:
    """The path of a file, in metres east, north and up of the place's origin.

    Parameters
    ----------
    unit : str
        Of lengths, where the file does not say: one of METRES, or metres to the unit as a number.
    which : str
        Name of one of several paths, or its number from 1.
    rate : float [1/s]
        At which a camera's motion is sampled, besides its own keys.

    Raises
    ------
    RouteError
        The file cannot be used, or has no path.
    AskUnit, AskWhich
        Something must be said.
    """
    suffix = PurePosixPath(name).suffix.lower()
    reader: Callable[..., list[Path3]] | None = {
        ".csv": _csv,
        ".svg": _svg,
        ".dxf": _dxf,
        ".gpx": lambda d, n, r: _gpx(d, n, site),
        ".glb": _gltf,
        ".gltf": _gltf,
        **dict.fromkeys((".usd", ".usda", ".usdc", ".usdz"), _usd),
    }.get(suffix)
    if reader is None:
        raise RouteError(
            f"{name} is no path that can be read: bring a "
            f"{', '.join(k[1:] for k in KINDS[:-1])} or {KINDS[-1][1:]} "
            "file."
        )
    found = [p for p in reader(data, name, rate) if len(p.points) > 1 or p.track is not None]
    if not found:
        raise RouteError(f"There is no path in {name}: it needs a line of two points at least, or a camera.")
    if len(found) > 1:
        chosen = [p for i, p in enumerate(found, 1) if which and which in (p.name, str(i))]
        if not chosen:
            raise AskWhich(
                f"{name} holds {len(found)} paths "
                f"({', '.join(p.name for p in found[:6])}{', …' if len(found) > 6 else ''}): "
                "say which one.",
                [p.name for p in found],
            )
        found = chosen[:1]
    path = found[0]
    said = unit or path.unit
    if not said:
        raise AskUnit(
            f"{name} does not say in what it is measured: say the unit of its lengths "
            f"({', '.join(METRES)}), or how many metres one of its units is."
        )
    try:
        metres = METRES[said] if said in METRES else float(said)
    except ValueError:
        raise RouteError(
            f"{said!r} is no unit known here: choose {', '.join(METRES)}, "
            "or say how many metres one of the file's units is."
        ) from None
    if not 1e-6 < metres < 1e6:
        raise RouteError(
            "One of the file's units must be between a thousandth of a millimetre and a thousand kilometres."
        )
    scaled = (
        path
        if path.track is not None
        else replace(path, points=path.points * metres, aims=None if path.aims is None else path.aims * metres)
    )
    if not np.isfinite(scaled.points).all():
        raise RouteError(f"{name} holds coordinates that are no numbers.")
    if np.abs(scaled.points[:, :2]).max() > FARTHEST:
        raise RouteError(
            f"The path of {name} lies {np.abs(scaled.points[:, :2]).max() / 1000:,.0f} km from "
            "the place's origin: it belongs to another place, or its unit is another."
        )
    return scaled


def _count(points: int, name: str) -> None:
    if points > POINTS_AT_MOST:
        raise RouteError(f"{name} holds {points:,} points: at most {POINTS_AT_MOST:,} can be read. Thin it out first.")


# -- tables ------------------------------------------------------------------------------------------------

_NAMES = {
    "t": "time",
    "time": "time",
    "seconds": "time",
    "frame": "frame",
    "x": "east",
    "east": "east",
    "easting": "east",
    "y": "north",
    "north": "north",
    "northing": "north",
    "z": "up",
    "up": "up",
    "height": "up",
    "elevation": "up",
    "aim_x": "aim_east",
    "aim_y": "aim_north",
    "aim_z": "aim_up",
    "aim_east": "aim_east",
    "aim_north": "aim_north",
    "aim_up": "aim_up",
    "bearing": "bearing",
    "heading": "bearing",
    "pitch": "pitch",
    "roll": "roll",
    "focal": "focal",
}


def _csv(data: bytes, name: str, rate: float) -> list[Path3]:
    text = data.decode("utf-8-sig", "replace")
    lines = text.splitlines()
    if lines and [c.strip() for c in lines[0].split(",")] == list(COLUMNS):
        track = read_track(data, name)
        return [Path3(PurePosixPath(name).stem, track.position, times=track.t, track=track)]
    _count(len(lines), name)
    sep = max(",;\t", key=(lines[0] if lines else "").count)
    heads = [h.strip().lower().replace(" ", "_") for h in (lines[0] if lines else "").split(sep)]
    units = {u for h in heads if (u := h.rpartition("_")[2]) in METRES and h.rpartition("_")[0] in _NAMES}
    columns = {
        _NAMES[stem]: i for i, h in enumerate(heads) if (stem := h if h in _NAMES else h.rpartition("_")[0]) in _NAMES
    }
    if not {"east", "north"} <= set(columns):
        raise RouteError(
            f"The first line of {name} must name its columns, east and north (or x and y) among them; besides "
            "them time, up, aim_east, aim_north, aim_up, bearing, pitch, roll and focal are known."
        )
    if len(units) > 1:
        raise RouteError(f"The columns of {name} are measured in {' and '.join(sorted(units))}: use one unit for all.")
    try:
        rows = np.array(
            [
                [float(row[i].replace(",", ".") if sep != "," else row[i]) for i in columns.values()]
                for row in csv.reader(io.StringIO("\n".join(lines[1:])), delimiter=sep)
                if any(c.strip() for c in row)
            ],
            float,
        )
    except (ValueError, IndexError):
        raise RouteError(f"A line of {name} holds something that is no number, or too few columns.") from None
    if len(rows) == 0:
        raise RouteError(f"{name} names its columns and holds no row.")
    got = dict(zip(columns, rows.T, strict=True))
    n = len(rows)
    points = np.column_stack([got["east"], got["north"], got.get("up", np.zeros(n))])
    times = got.get("time", (got["frame"] - 1) / rate if "frame" in got else None)
    if times is not None and (np.diff(times) <= 0).any():
        k = int(np.argmax(np.diff(times) <= 0))
        raise RouteError(f"The times of {name} must grow: row {k + 3} is not later than the one before it.")
    aims = (
        np.column_stack([got["aim_east"], got["aim_north"], got.get("aim_up", points[:, 2])])
        if {"aim_east", "aim_north"} <= set(got)
        else None
    )
    if aims is None and "bearing" in got:
        b, p = np.radians(got["bearing"]), np.radians(got.get("pitch", np.zeros(n)))
        aims = points + 20.0 * np.stack([np.sin(b) * np.cos(p), np.cos(b) * np.cos(p), np.sin(p)], -1)
    return [Path3(PurePosixPath(name).stem, points, "up" in got, times, aims, unit=next(iter(units), ""))]


# -- drawings ----------------------------------------------------------------------------------------------


def _svg(data: bytes, name: str, rate: float) -> list[Path3]:
    import svgelements

    try:
        # the drawing's own coordinates, not those of a page that it is fitted to
        root = ElementTree.fromstring(data)
        for attribute in ("viewBox", "width", "height", "preserveAspectRatio"):
            root.attrib.pop(attribute, None)
        drawn = svgelements.SVG.parse(io.BytesIO(ElementTree.tostring(root)), reify=True, ppi=96)
    except Exception as error:  # the parsers' own complaints are of many kinds
        raise RouteError(f"{name} is no SVG that can be read: {error}.") from None
    found: list[Path3] = []
    for element in drawn.elements():
        if not isinstance(element, svgelements.Shape):
            continue
        path = svgelements.Path(element)
        points: list[Any] = []
        for part in path:
            if isinstance(part, svgelements.Move):
                points += [part.end] if part.end is not None else []
                continue
            count = 1 if isinstance(part, svgelements.Line | svgelements.Close) else 24
            points += [part.point((k + 1) / count) for k in range(count)] if part.end is not None else []
        if len(points) > 1:
            _count(len(points), name)
            p = np.array([[q.x, -q.y, 0.0] for q in points], float)
            found.append(Path3(str(element.id or f"line {len(found) + 1}"), _distinct(p), False, unit=""))
    return found


def _dxf(data: bytes, name: str, rate: float) -> list[Path3]:
    import ezdxf
    from ezdxf import path as ezpath
    from ezdxf import recover

    try:
        drawing, _ = recover.read(io.BytesIO(data))
    except (OSError, ezdxf.DXFError) as error:  # type: ignore[attr-defined]
        raise RouteError(f"{name} is no DXF that can be read: {str(error).rstrip('.')}.") from None
    unit = {1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m", 7: "km", 10: "yd"}.get(
        int(drawing.header.get("$INSUNITS", 0)), ""
    )
    found: list[Path3] = []
    for entity in drawing.modelspace().query("LWPOLYLINE POLYLINE LINE SPLINE ARC"):
        try:
            made = ezpath.make_path(entity)
        except TypeError:
            continue
        points = np.array([[v.x, v.y, v.z] for v in made.flattening(0.05, segments=16)], float)
        _count(len(points), name)
        if len(points) > 1:
            found.append(
                Path3(
                    f"{entity.dxf.layer} {entity.dxf.handle}",
                    _distinct(points),
                    bool(np.any(points[:, 2] != 0)),
                    unit=unit,
                )
            )
    return found


def _distinct(points: Floats) -> Floats:
    return points[np.concatenate([[True], np.linalg.norm(np.diff(points, axis=0), axis=1) > 1e-12])]


def _gpx(data: bytes, name: str, site: Site) -> list[Path3]:
    import gpxpy
    from pyproj import Transformer

    try:
        read = gpxpy.parse(data.decode("utf-8-sig", "replace"))
    except gpxpy.gpx.GPXException as error:
        raise RouteError(f"{name} is no GPX that can be read: {error}.") from None
    lines: list[tuple[str, list[Any]]] = [
        (track.name or f"track {k}", [p for segment in track.segments for p in segment.points])
        for k, track in enumerate(read.tracks, 1)
    ]
    lines += [(route.name or f"route {k}", list(route.points)) for k, route in enumerate(read.routes, 1)]
    local = Transformer.from_crs(
        "EPSG:4326", f"+proj=aeqd +lat_0={site.latitude} +lon_0={site.longitude} +ellps=WGS84 +units=m", always_xy=True
    )
    found = []
    for called, points in lines:
        if len(points) < 2:
            continue
        _count(len(points), name)
        x, y = local.transform([p.longitude for p in points], [p.latitude for p in points])
        a = np.radians(site.north_turn)
        e, n = np.asarray(x, float), np.asarray(y, float)
        heights = all(p.elevation is not None for p in points)
        p = np.column_stack(
            [e * np.cos(a) + n * np.sin(a), n * np.cos(a) - e * np.sin(a), [float(q.elevation or 0.0) for q in points]]
        )
        times = None
        if all(q.time is not None for q in points):
            times = np.array([(q.time - points[0].time).total_seconds() for q in points], float)
        keep = np.concatenate(
            [
                [True],
                (np.linalg.norm(np.diff(p[:, :2], axis=0), axis=1) > 1e-6)
                & (np.diff(times) > 0 if times is not None else True),
            ]
        )
        found.append(Path3(called, p[keep], heights, None if times is None else times[keep]))
    return found


# -- cameras -----------------------------------------------------------------------------------------------

Y_UP = np.array([[1.0, 0, 0], [0, 0, -1.0], [0, 1.0, 0]])
"""From axes with y up to east, north, up."""


def camera_track(t: Floats, matrices: Floats, focal: Floats) -> Track:
    """A track from camera matrices (n, 4, 4): columns right, up, backward and place, in metres east, north, up."""
    right, up, back = (matrices[:, :3, k] / np.linalg.norm(matrices[:, :3, k], axis=1, keepdims=True) for k in range(3))
    bearing, pitch, roll = pose_angles(Rotation.from_matrix(np.stack([right, -back, up], -1)))
    return Track(t, matrices[:, :3, 3], bearing, pitch, roll, focal)


def _sampled(keys: Floats, rate: float) -> Floats:
    """Times to sample a camera at: its keys, and frames and finer steps between them."""
    if len(keys) < 2:
        return keys if len(keys) else np.zeros(1)
    step = min(GRID, 1 / rate)
    frames = np.arange(np.ceil(keys[0] * rate - 1e-9), np.floor(keys[-1] * rate + 1e-9) + 1) / rate
    count = (keys[-1] - keys[0]) / step
    if count > 400_000:
        raise RouteError(
            f"This camera moves for {(keys[-1] - keys[0]) / 60:,.0f} minutes: at most 55 can be brought in."
        )
    t = np.unique(np.concatenate([keys, frames, np.arange(keys[0], keys[-1], step)]).round(9))
    return t[np.concatenate([[True], np.diff(t) > 1e-6])]


def _gltf(data: bytes, name: str, rate: float) -> list[Path3]:
    import pygltflib

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"in{PurePosixPath(name).suffix.lower()}"
        path.write_bytes(data)
        try:
            if data[:4] == b"glTF" and (
                len(data) < 20
                or int.from_bytes(data[4:8], "little") != 2
                or int.from_bytes(data[8:12], "little") > len(data)
            ):
                raise ValueError("it is cut short, or not of version 2")
            gltf = pygltflib.GLTF2().load(str(path))
            assert gltf is not None
            blob = gltf.binary_blob()
        except Exception as error:  # the reader's own complaints are of many kinds
            raise RouteError(
                f"{name} is no glTF that can be read: {str(error) or 'nothing in it makes sense'}."
            ) from None
    parents = {child: i for i, node in enumerate(gltf.nodes) for child in node.children or []}

    def numbers(index: int) -> Floats:
        accessor = gltf.accessors[index]
        view = gltf.bufferViews[accessor.bufferView]
        buffer = gltf.buffers[view.buffer]
        raw = blob if buffer.uri is None else gltf.get_data_from_buffer_uri(buffer.uri)
        if raw is None:
            raise RouteError(f"{name} keeps its numbers in another file: bring a .glb, which holds everything.")
        width = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}[accessor.type]
        kind = {5126: "<f4", 5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2"}[accessor.componentType]
        size = np.dtype(kind).itemsize * width
        stride = view.byteStride or size
        start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
        rows = np.stack([np.frombuffer(raw, kind, width, start + k * stride) for k in range(accessor.count)]).astype(
            float
        )
        most = {5120: 127.0, 5121: 255.0, 5122: 32767.0, 5123: 65535.0}.get(accessor.componentType, 1.0)
        return np.maximum(rows / most, -1.0) if accessor.componentType != 5126 else rows

    moved: dict[tuple[int, str], tuple[Floats, Floats, str]] = {}
    for animation in gltf.animations or []:
        for channel in animation.channels:
            sampler = animation.samplers[channel.sampler]
            moved.setdefault(
                (channel.target.node, channel.target.path),
                (numbers(sampler.input)[:, 0], numbers(sampler.output), sampler.interpolation or "LINEAR"),
            )

    def value(node: int, what: str, rest: Any, t: Floats) -> Floats:
        if (node, what) not in moved:
            return np.broadcast_to(np.asarray(rest, float), (len(t), len(rest)))
        return gltf_sampler(*moved[node, what], t, what == "rotation")

    found: list[Path3] = []
    for i, node in enumerate(gltf.nodes):
        if node.camera is None:
            continue
        chain, k = [i], i
        while k in parents:
            k = parents[k]
            chain.append(k)
        keys = [moved[j, what][0] for j in chain for what in ("translation", "rotation", "scale") if (j, what) in moved]
        t = _sampled(np.unique(np.concatenate(keys)) if keys else np.zeros(1), rate)
        whole = np.broadcast_to(np.eye(4), (len(t), 4, 4))
        for j in chain:
            n = gltf.nodes[j]
            if n.matrix is not None:
                local = np.broadcast_to(np.asarray(n.matrix, float).reshape(4, 4).T, (len(t), 4, 4))
            else:
                local = np.broadcast_to(np.eye(4), (len(t), 4, 4)).copy()
                turn = Rotation.from_quat(value(j, "rotation", n.rotation or [0, 0, 0, 1], t)).as_matrix()
                local[:, :3, :3] = turn * value(j, "scale", n.scale or [1, 1, 1], t)[:, None, :]
                local[:, :3, 3] = value(j, "translation", n.translation or [0, 0, 0], t)
            whole = local @ whole
        axes = np.eye(4)
        axes[:3, :3] = Y_UP
        lens = gltf.cameras[node.camera].perspective
        focal = 28.0
        if lens is not None:
            focal = FULL_FRAME_MM / 2 / (np.tan(lens.yfov / 2) * (lens.aspectRatio or 16 / 9))
        track = camera_track(t, axes @ whole, np.full(len(t), float(focal)))
        extras = node.extras if isinstance(node.extras, dict) else {}
        lenses = extras.get("focal_mm")
        if isinstance(lenses, list) and len(lenses) > 1 and keys:
            own = np.linspace(t[0], t[-1], len(lenses))
            track = replace(track, focal=np.interp(t, own, np.asarray(lenses, float)))
        found.append(Path3(str(node.name or f"camera {len(found) + 1}"), track.position, times=t, track=track))
    return found


def gltf_sampler(keys: Floats, values: Floats, how: str, t: Floats, quaternion: bool) -> Floats:
    """A glTF animation sampler at times (n,).

    References
    ----------
    Khronos, glTF 2.0 specification, appendix C (animation sampler interpolation modes).
    """
    if how == "CUBICSPLINE":
        values = values.reshape(len(keys), 3, -1)
        at = np.clip(t, keys[0], keys[-1])
        i = np.clip(np.searchsorted(keys, at, side="right") - 1, 0, max(len(keys) - 2, 0))
        j = np.minimum(i + 1, len(keys) - 1)
        d = np.maximum(keys[j] - keys[i], 1e-12)
        u, d = ((at - keys[i]) / d)[:, None], d[:, None]
        out = (
            (2 * u**3 - 3 * u**2 + 1) * values[i, 1]
            + d * (u**3 - 2 * u**2 + u) * values[i, 2]
            + (-2 * u**3 + 3 * u**2) * values[j, 1]
            + d * (u**3 - u**2) * values[j, 0]
        )
        return np.asarray(out / np.linalg.norm(out, axis=1, keepdims=True) if quaternion else out, float)
    if how == "STEP" or len(keys) == 1:
        return np.asarray(values[np.clip(np.searchsorted(keys, t, side="right") - 1, 0, len(keys) - 1)], float)
    if quaternion:
        return np.asarray(Slerp(keys, Rotation.from_quat(values))(np.clip(t, keys[0], keys[-1])).as_quat(), float)
    return np.stack([np.interp(t, keys, values[:, c]) for c in range(values.shape[1])], -1)


def _usd(data: bytes, name: str, rate: float) -> list[Path3]:
    from pxr import Tf, Usd, UsdGeom

    handle, path = tempfile.mkstemp(suffix=PurePosixPath(name).suffix.lower())
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(data)
        try:
            stage = Usd.Stage.Open(path)
        except Tf.ErrorException as error:
            line = re.search(re.escape(path) + r":(\d+):", str(error))
            raise RouteError(
                f"{name} is no USD that can be read{f': it errs or breaks off on line {line[1]}' if line else ''}."
            ) from None
        per_second, metres = stage.GetTimeCodesPerSecond(), UsdGeom.GetStageMetersPerUnit(stage)
        axes = np.eye(4)
        axes[:3, :3] = (Y_UP if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.y else np.eye(3)) * metres
        found: list[Path3] = []
        for prim in stage.Traverse():
            if not prim.IsA(UsdGeom.Camera):
                continue
            camera = UsdGeom.Camera(prim)
            keys = set(camera.GetFocalLengthAttr().GetTimeSamples())
            above = prim
            while above and not above.IsPseudoRoot():
                keys |= set(UsdGeom.Xformable(above).GetTimeSamples()) if above.IsA(UsdGeom.Xformable) else set()
                above = above.GetParent()
            codes = np.array(sorted(keys), float)
            first = codes[0] if len(codes) else 0.0
            t = _sampled((codes - first) / per_second, rate) if len(codes) else np.zeros(1)
            cache = UsdGeom.XformCache()
            matrices, focal = np.zeros((len(t), 4, 4)), np.zeros(len(t))
            for k, v in enumerate(t):
                code = Usd.TimeCode(first + v * per_second) if len(codes) else Usd.TimeCode.Default()
                cache.SetTime(code)
                matrices[k] = np.array(cache.GetLocalToWorldTransform(prim)).T
                lens = camera.GetCamera(code)
                focal[k] = Lens(lens.focalLength, lens.horizontalAperture).full_frame_mm
            found.append(
                Path3(
                    prim.GetName(), (axes @ matrices)[:, :3, 3], times=t, track=camera_track(t, axes @ matrices, focal)
                )
            )
        return found
    finally:
        os.unlink(path)
