"""What the camera looks at, and whether that is sharp.

Thresholds are common practice of the trade (c).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumwick.lens.camera import circle_of_confusion
from lumwick.lens.lens import FULL_FRAME_MM, Lens
from lumwick.place.document import Shot
from lumwick.snapshot.riding.sampled import Findings, Floats, Ride, axes_of
from lumwick.snapshot.surroundings import FAR, Surroundings

AWAY, AWAY_IN_THE_AIR, AWAY_FOR = 70.0, 120.0, 2.0
"""Degrees from where they go, and seconds, for which a walker or a flyer may look elsewhere (c)."""
SHARP_MM = 0.06
"""Diameter of the circle of confusion on 36 mm from which nothing counts as sharp: twice the usual 0.03."""


def looks(f: Findings) -> None:
    """Whether it looks where it goes, keeps its subject in the frame, and is in focus."""
    r, route = f.ride, f.shot.route
    velocity = np.gradient(r.position, r.dt, axis=0)
    flat = np.hypot(velocity[:, 0], velocity[:, 1])
    if route.way in ("walk", "fly"):
        forward = r.poses.forward
        cosine = (velocity[:, 0] * forward[:, 0] + velocity[:, 1] * forward[:, 1]) / np.maximum(
            flat * np.hypot(forward[:, 0], forward[:, 1]), 1e-9
        )
        away = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
        f.say(
            "looking away",
            (away > (AWAY if route.way == "walk" else AWAY_IN_THE_AIR)) & (flat > 0.3) & r.joined,
            lambda s: (
                f"it looks {away[s].max():.0f}° away from where it goes for {r.t[s.stop - 1] - r.t[s.start]:.1f} s"
            ),
            ("ahead",),
            least=AWAY_FOR,
            size=away,
        )
    _subject_in_frame(f)
    _focus(f)


def _subject_in_frame(f: Findings) -> None:
    r, route = f.ride, f.shot.route
    subject = bool(route.subject or route.spot is not None)
    if not subject or not (route.way in ("orbit", "follow") or "subject" in (route.aim, route.focus_on)):
        return
    way = f.setting.camera_path(f.shot)
    d = way.subject(r.t) - r.position
    axis = (d * r.poses.forward).sum(1)
    exposure = f.setting.motions(f.shot).at(0.0)[1].exposure
    tan_x = Lens(r.poses.focal, exposure.sensor).tangent
    right, up = axes_of(r.poses.forward)
    out = (axis <= 0) | (np.abs((d * right).sum(1)) > tan_x * axis) | (np.abs((d * up).sum(1)) > tan_x * 9 / 16 * axis)
    f.say(
        "out of frame",
        out,
        lambda s: f"the subject leaves the frame for {r.t[s.stop - 1] - r.t[s.start]:.1f} s",
        ("frame",),
        least=0.2,
    )
    touching = np.linalg.norm(d, axis=1) < max(route.keep_clear, 0.05)
    f.say("on the subject", touching, "the camera stands on what it aims at", ())


def _focus(f: Findings) -> None:
    """Whether something in the middle of the picture is sharp, looked at some times a second."""
    r, motions = f.ride, f.setting.motions(f.shot)
    every = max(1, len(r.t) // 60)
    some = np.arange(0, len(r.t), every)
    distances = middle_distances(f.shot, r, f.near, some)
    blurred = np.zeros(len(r.t), bool)
    told = np.zeros(len(r.t))
    steady = motions.at(0.0)[1].exposure if not motions.movers else None
    for i, d in zip(some, distances, strict=True):
        e = steady or motions.at(float(r.t[i]))[1].exposure
        own = {name: float(v[i]) for name, v in r.poses.own.items() if np.isfinite(v[i])}
        crop = FULL_FRAME_MM / e.sensor
        focal, n, focus = (
            float(r.poses.focal[i]) * crop,
            own.get("f_number", e.f_number) * crop,
            own.get("focus", e.focus),
        )
        sharp = min(circle_of_confusion(focal, n, focus, min(float(v), FAR)) for v in d)
        blurred[i : i + every] = sharp > SHARP_MM
        told[i : i + every] = focus
    f.say(
        "focus",
        blurred,
        lambda s: f"the focus, at {told[s.start]:.3g} m, is on nothing in the middle of the picture",
        ("focus",),
        least=0.5,
    )


def middle_distances(shot: Shot, r: Ride, near: Surroundings, some: NDArray[np.int64]) -> Floats:
    """Distances [m] along the axis to what nine spots of the middle of the picture show, at some of a ride's samples;
    shape (n, 9)."""
    forward, position, focal = r.poses.forward[some], r.position[some], r.poses.focal[some]
    right, up = axes_of(forward)
    tan = Lens(focal, shot.exposure.sensor).tangent
    rays = np.stack(
        [
            forward + right * (tan * i / 3)[:, None] + up * (tan * j * 9 / 16 / 3)[:, None]
            for i in (-1, 0, 1)
            for j in (-1, 0, 1)
        ],
        1,
    )
    length = np.linalg.norm(rays, axis=2)
    seen = near.seen(np.repeat(position, 9, axis=0), (rays / length[..., None]).reshape(-1, 3)).reshape(len(some), 9)
    return np.asarray(seen / length)
