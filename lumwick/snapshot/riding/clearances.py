"""What the camera comes too near to, or goes through."""

from __future__ import annotations

import numpy as np

from lumwick.snapshot.riding.sampled import TOGETHER, Findings, Floats, only, stretches
from lumwick.snapshot.surroundings import Near


def clearances(f: Findings) -> None:
    """The ground, decks, water, walls and leaves; and a floor to walk on."""
    p = f.ride.position
    over = p[:, 2] - f.setting.still(f.shot).floor(p[:, 0], p[:, 1])
    wet = p[:, 2] - f.near.crests(f.shot, p, f.ride.t)
    walks = f.shot.route.way == "walk"
    _below(f, over, ("under", "near"), ("the ground or a deck", "the ground or a deck"), () if walks else ("lift",))
    _below(f, wet, ("under water", "water"), ("the water", "the water's crests"), ("ashore",) if walks else ("lift",))
    if walks:
        _no_floor(f)
    margin = f.shot.route.keep_clear
    hit: Near = f.near.solids(p, max(margin, 1e-3))
    # what is under it is the floor, and has been spoken of
    beside = hit.through | (hit.spot[:, 2] > p[:, 2] - 0.9 * np.maximum(hit.distance, 1e-9))
    _touching(f, "wall", hit, over, beside)
    within = f.near.inside(p)
    f.say(
        "inside",
        np.array([bool(name) for name in within]),
        lambda s: (
            f"the camera is inside {next(name for name in within[s] if name)}: is it as large as it is meant to be?"
        ),
        ("aside",),
        join=TOGETHER,
    )
    leaves: Near = f.near.leaves(p, max(margin, 1e-3))
    _touching(f, "leaf", leaves, over, np.ones(len(p), bool))


def _below(f: Findings, gap: Floats, kinds: tuple[str, str], names: tuple[str, str], repairs: tuple[str, ...]) -> None:
    """Where a camera is under something it should be over, or not far enough over it; ``kinds`` and ``names`` are
    those of either."""
    for s in stretches(f.ride, gap < f.shot.route.keep_clear, join=TOGETHER):
        least = float(gap[s].min())
        text = f"comes within {least:.2f} m of {names[1]}" if least >= 0 else f"goes {-least:.1f} m under {names[0]}"
        f.say(kinds[0] if least < 0 else kinds[1], only(f.ride, s), f"the camera {text}", repairs, size=-gap)


def _no_floor(f: Findings) -> None:
    p, sea = f.ride.position, f.setting.still(f.shot).place.sea
    w, south, e, n = f.setting.ground.bounds
    outside = (p[:, 0] < w) | (p[:, 0] > e) | (p[:, 1] < south) | (p[:, 1] > n)
    if sea.present:
        deep = sea.surface - (p[:, 2] - f.shot.route.eye_height)
        f.say(
            "no floor",
            ~outside & (deep > 0.3),
            lambda s: f"there is no floor to walk on: it is {deep[s].max():.1f} m under the water's level",
            ("ashore",),
        )
    f.say("no floor", outside, "there is no floor to walk on: the survey ends before", ())


def _touching(f: Findings, kind: str, hit: Near, over: Floats, counted: np.ndarray) -> None:
    """Where the camera is too near to walls, posts or leaves."""
    margin = f.shot.route.keep_clear

    def text(s: slice) -> str:
        k = s.start + int(np.argmin(hit.distance[s]))
        if hit.through[s].any():
            k = s.start + int(np.argmax(hit.through[s]))
            return f"the camera goes through {hit.name[k] or ('leaves' if kind == 'leaf' else 'a wall or a post')}"
        if kind == "leaf":
            return f"leaves of {hit.name[k]} come within {hit.distance[k]:.2f} m"
        return f"the camera comes within {hit.distance[k]:.2f} m of {hit.name[k] or 'a wall or a post'}"

    f.say(
        kind,
        ((hit.distance < margin) | hit.through) & counted & (over >= 0),
        text,
        ("aside",) if f.shot.route.way == "walk" else ("lift", "aside"),
        join=TOGETHER,
        size=-np.minimum(hit.distance, margin),
    )
