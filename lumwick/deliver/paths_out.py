"""Cameras and their paths handed on: glTF, USD and CSV with everything by time; SVG, DXF and GPX with the line."""

from __future__ import annotations

import datetime as dt
import io
import os
import tempfile
from collections.abc import Sequence
from pathlib import Path, PurePosixPath
from typing import Any
from xml.sax.saxutils import quoteattr

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from lumwick.deliver.paths_in.camera import Y_UP
from lumwick.errors import RouteError
from lumwick.lens.lens import FULL_FRAME_MM, Lens
from lumwick.motion.timebase import RATES, frame_time
from lumwick.place.document import Shot
from lumwick.route.track import Track, pose_angles
from lumwick.snapshot.evaluate import Setting, camera_at, clip_time, place_clock

Floats = NDArray[np.float64]
CAMERA_ENDINGS = (".glb", ".usd", ".usda", ".usdc", ".csv", ".svg", ".dxf", ".gpx")


def shot_track(setting: Setting, shot: Shot) -> tuple[Track, list[Any]]:
    """A shot's camera at the start of each frame, and the cameras themselves."""
    t = np.array([frame_time(n, RATES[shot.fps]) for n in range(1, shot.frames + 1)], float)
    way = setting.way(shot)
    cameras = [camera_at(setting, shot, float(v), way) for v in t]
    poses = [_axes(c) for c in cameras]
    bearing, pitch, roll = pose_angles(Rotation.from_matrix(np.stack([np.stack([r, f, u], -1) for r, f, u in poses])))
    return Track(
        t, np.array([c.position for c in cameras]), bearing, pitch, roll, np.array([c.focal_mm for c in cameras])
    ), cameras


def _axes(camera: Any) -> tuple[Floats, Floats, Floats]:
    right, up = camera.axes()
    return right, camera.forward / np.linalg.norm(camera.forward), up


def export(setting: Setting, shots: Sequence[Shot], name: str) -> dict[str, bytes]:
    """Cameras of shots as files, by name: one for all, or one each where the format holds only one.

    Raises
    ------
    RouteError
        The format is not known, or a shot has no camera.
    """
    suffix = PurePosixPath(name).suffix.lower()
    if suffix not in CAMERA_ENDINGS:
        raise RouteError(
            f"Cameras are written as {', '.join(k[1:] for k in CAMERA_ENDINGS[:-1])} or "
            f"{CAMERA_ENDINGS[-1][1:]}, not {suffix or 'a file without an ending'}."
        )
    tracks = [(shot, *shot_track(setting, shot)) for shot in shots]
    if suffix == ".glb":
        return {name: _glb([(shot, track) for shot, track, _ in tracks])}
    if suffix.startswith(".usd"):
        return {name: _usd(tracks, suffix)}
    if suffix == ".svg":
        return {name: _svg([(shot, track) for shot, track, _ in tracks])}
    if suffix == ".dxf":
        return {name: _dxf([(shot, track) for shot, track, _ in tracks])}
    if suffix == ".gpx":
        return {name: _gpx(setting, [(shot, track) for shot, track, _ in tracks])}
    stem = name[: -len(suffix)]
    return {name if len(tracks) == 1 else f"{stem}-{shot.id}{suffix}": track.csv() for shot, track, _ in tracks}


def _glb(tracks: Sequence[tuple[Shot, Track]]) -> bytes:
    import pygltflib as pg

    gltf = pg.GLTF2(
        asset=pg.Asset(version="2.0", generator="Lumwick"), scene=0, scenes=[pg.Scene(nodes=list(range(len(tracks))))]
    )
    blob = b""

    def accessor(values: Floats, kind: str, bounds: bool = False) -> int:
        nonlocal blob
        data = np.ascontiguousarray(values, "<f4")
        gltf.bufferViews.append(pg.BufferView(buffer=0, byteOffset=len(blob), byteLength=data.nbytes))
        extra = {"min": [float(data.min())], "max": [float(data.max())]} if bounds else {}
        gltf.accessors.append(
            pg.Accessor(
                bufferView=len(gltf.bufferViews) - 1, componentType=pg.FLOAT, count=len(data), type=kind, **extra
            )
        )
        blob += data.tobytes()
        return len(gltf.accessors) - 1

    for k, (shot, track) in enumerate(tracks):
        _, turn, _ = track.at(track.t)
        m = turn.as_matrix()  # right, forward, up
        camera = np.stack([m[:, :, 0], m[:, :, 2], -m[:, :, 1]], -1)  # right, up, backward
        quaternion = Rotation.from_matrix(Y_UP.T @ camera).as_quat()
        flip = np.cumprod(np.concatenate([[1.0], np.where((quaternion[1:] * quaternion[:-1]).sum(1) < 0, -1.0, 1.0)]))
        quaternion = quaternion * flip[:, None]
        place = track.position @ Y_UP
        tan = Lens(track.focal[0]).tangent / (16 / 9)
        gltf.cameras.append(
            pg.Camera(
                name=shot.name,
                type="perspective",
                perspective=pg.Perspective(
                    aspectRatio=16 / 9, yfov=float(2 * np.arctan(tan)), znear=0.05, zfar=20000.0
                ),
            )
        )
        gltf.nodes.append(
            pg.Node(
                name=shot.id,
                camera=k,
                translation=[float(v) for v in np.float32(place[0])],
                rotation=[float(v) for v in np.float32(quaternion[0])],
                extras={"focal_mm": [round(float(v), 5) for v in track.focal], "frames_per_second": shot.fps},
            )
        )
        if len(track.t) > 1:
            times = accessor(track.t, "SCALAR", True)
            outputs = (accessor(place, "VEC3"), accessor(quaternion, "VEC4"))
            gltf.animations.append(
                pg.Animation(
                    name=shot.name,
                    samplers=[pg.AnimationSampler(input=times, output=o, interpolation="LINEAR") for o in outputs],
                    channels=[
                        pg.AnimationChannel(sampler=i, target=pg.AnimationChannelTarget(node=k, path=path))
                        for i, path in enumerate(("translation", "rotation"))
                    ],
                )
            )
    if blob:
        gltf.buffers.append(pg.Buffer(byteLength=len(blob)))
        gltf.set_binary_blob(blob)
    return b"".join(gltf.save_to_bytes())


def _usd(tracks: Sequence[tuple[Shot, Track, list[Any]]], suffix: str) -> bytes:
    from pxr import Gf, Usd, UsdGeom

    handle, path = tempfile.mkstemp(suffix=suffix)
    os.close(handle)
    os.unlink(path)
    try:
        stage = Usd.Stage.CreateNew(path)
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        rate = float(RATES[tracks[0][0].fps])
        stage.SetTimeCodesPerSecond(rate)
        stage.SetFramesPerSecond(rate)
        stage.SetStartTimeCode(1)
        stage.SetEndTimeCode(max(1 + (track.t[-1] * rate) for _, track, _ in tracks))
        root = UsdGeom.Xform.Define(stage, "/cameras")
        stage.SetDefaultPrim(root.GetPrim())
        for shot, track, cameras in tracks:
            camera = UsdGeom.Camera.Define(stage, f"/cameras/{_usd_name(shot.id)}")
            camera.GetPrim().SetDisplayName(shot.name)
            move = camera.AddTransformOp()
            camera.CreateHorizontalApertureAttr(FULL_FRAME_MM)
            camera.CreateVerticalApertureAttr(FULL_FRAME_MM * 9 / 16)
            camera.CreateClippingRangeAttr(Gf.Vec2f(0.05, 20000.0))
            lens, focus, stop = (
                camera.CreateFocalLengthAttr(),
                camera.CreateFocusDistanceAttr(),
                camera.CreateFStopAttr(),
            )
            _, turn, _ = track.at(track.t)
            for k, (t, m) in enumerate(zip(track.t, turn.as_matrix(), strict=True)):
                code = Usd.TimeCode(1 + t * rate)
                matrix = np.eye(4)
                matrix[0, :3], matrix[1, :3], matrix[2, :3], matrix[3, :3] = (
                    m[:, 0],
                    m[:, 2],
                    -m[:, 1],
                    track.position[k],
                )
                move.Set(Gf.Matrix4d(*matrix.ravel().tolist()), code)
                lens.Set(float(track.focal[k]), code)
                focus.Set(float(cameras[k].focus), code)
                stop.Set(float(cameras[k].f_number), code)
        stage.GetRootLayer().Save()
        return Path(path).read_bytes()
    finally:
        Path(path).unlink(missing_ok=True)


def _usd_name(shot_id: str) -> str:
    name = shot_id.replace("-", "_")
    return name if name[0].isalpha() else f"shot_{name}"


def _svg(tracks: Sequence[tuple[Shot, Track]]) -> bytes:
    every = np.concatenate([t.position for _, t in tracks])
    w, s, e, n = every[:, 0].min() - 5, every[:, 1].min() - 5, every[:, 0].max() + 5, every[:, 1].max() + 5
    lines = "".join(
        f'<polyline id={quoteattr(shot.id)} fill="none" stroke="#222" stroke-width="0.3" '
        f'points="{" ".join(f"{x:.4f},{-y:.4f}" for x, y, _ in track.position)}"/>'
        for shot, track in tracks
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{w:.3f} {-n:.3f} {e - w:.3f} '
        f'{n - s:.3f}"><!-- one unit is a metre; north is up -->{lines}</svg>\n'
    ).encode()


def _dxf(tracks: Sequence[tuple[Shot, Track]]) -> bytes:
    import ezdxf
    from ezdxf import units

    drawing = ezdxf.new("R2010")  # type: ignore[attr-defined]
    drawing.units = units.M
    for shot, track in tracks:
        drawing.modelspace().add_polyline3d([tuple(p) for p in track.position.tolist()], dxfattribs={"layer": shot.id})
    out = io.StringIO()
    drawing.write(out)
    return out.getvalue().encode()


def _gpx(setting: Setting, tracks: Sequence[tuple[Shot, Track]]) -> bytes:
    import gpxpy.gpx
    from pyproj import Transformer

    site = setting.place.site
    world = Transformer.from_crs(
        f"+proj=aeqd +lat_0={site.latitude} +lon_0={site.longitude} +ellps=WGS84 +units=m", "EPSG:4326", always_xy=True
    )
    a = np.radians(site.north_turn)
    gpx = gpxpy.gpx.GPX()
    gpx.creator = "Lumwick"
    for shot, track in tracks:
        e, n = track.position[:, 0], track.position[:, 1]
        lon, lat = world.transform(e * np.cos(a) - n * np.sin(a), e * np.sin(a) + n * np.cos(a))
        start = place_clock(shot, clip_time(shot, 0.0)) - dt.timedelta(hours=float(site.utc_offset))
        segment = gpxpy.gpx.GPXTrackSegment(
            [
                gpxpy.gpx.GPXTrackPoint(
                    float(y), float(x), float(z), time=(start + dt.timedelta(seconds=float(t))).replace(tzinfo=dt.UTC)
                )
                for x, y, z, t in zip(lon, lat, track.position[:, 2], track.t, strict=True)
            ]
        )
        made = gpxpy.gpx.GPXTrack(name=shot.name)
        made.segments.append(segment)
        gpx.tracks.append(made)
    return str(gpx.to_xml()).encode()
