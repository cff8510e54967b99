"""What the open shutter smears: the share of the picture that goes a good way across it within one exposure.

Thresholds are common practice of the trade (c).
"""

from __future__ import annotations

import numpy as np

from lumwick.lens.lens import Lens
from lumwick.motion.timebase import RATES
from lumwick.snapshot.riding.sampled import Findings, Floats, axes_of, only, slower, stretches
from lumwick.snapshot.riding.turns import TURNING

SMEARED = 1 / 50
"""Of the picture's width: what goes further within one exposure cannot be made out (c)."""
MOST = 0.3
"""Share of the picture from which its smear is spoken of (c)."""
LASTS = 0.25
"""Seconds for which it must (c)."""
MOMENTS, MOST_MOMENTS, A_SECOND = 25, 61, 2
"""At which the picture is looked at: at least, at most, and otherwise."""
ACROSS, DOWN = 16, 9
"""Spots of the picture that are looked at."""
NEAR = 60.0
"""Metres within which something that goes by can smear by itself (practice)."""
OPEN_SKY = 1e5
"""Metres taken for what is not met at all."""


def smear(f: Findings) -> None:
    """A picture much of which the shutter smears, because something near goes by."""
    share, nearest = smeared(f)
    r = f.ride
    for s in stretches(r, (share > MOST) & (r.turning <= TURNING), LASTS):
        near = float(nearest[s].min())
        why = f"what goes by is {near:.1f} m away" if near < NEAR else "it turns too quickly for so long a lens"
        text = (
            f"the shutter smears {share[s].max():.0%} of the picture by more than a fiftieth of its width "
            f"({MOST:.0%} is much): {why}"
        )
        f.say("smear", only(r, s), text, slower(r, s), size=share)


def smeared(f: Findings) -> tuple[Floats, Floats]:
    """Share of the picture that is smeared, and how far away the nearest tenth of it is [m], both of shape (n,), at
    the ride's times.

    A spot of the picture is followed, as it stands in the place, from where the shutter opens to where it closes:
    ``x = tan(angle)`` over the half width's tangent, in the camera's own axes at either time. What moves by itself is
    taken as it stands at the shot's start.
    """
    r = f.ride
    moments = int(np.clip(A_SECOND * f.shot.seconds, MOMENTS, MOST_MOMENTS))
    picked = np.unique(np.linspace(0, len(r.t) - 1, moments).astype(int))
    exposure = f.setting.motions(f.shot).at(0.0)[1].exposure
    lasts = exposure.shutter / 360.0 / float(RATES[f.shot.fps])
    begins = np.clip(r.t[picked] - lasts / 2, 0, r.t[-1] - lasts)
    eyes = [_eye(f, begins + late) for late in (0.0, lasts)]
    tan = Lens(r.poses.focal[picked], exposure.sensor).tangent
    (position, right, up, forward), after = eyes
    u, v = (a.ravel() for a in np.meshgrid(_middles(ACROSS), _middles(DOWN) * 9 / 16))
    rays = (
        forward[:, None]
        + right[:, None] * (u[None, :, None] * tan[:, None, None])
        + up[:, None] * (v[None, :, None] * tan[:, None, None])
    )
    rays /= np.linalg.norm(rays, axis=2, keepdims=True)
    from_where = np.repeat(position, len(u), 0)
    far = f.near.seen(from_where, rays.reshape(-1, 3), cover=True).reshape(len(picked), len(u))
    spots = position[:, None] + rays * np.minimum(far, OPEN_SKY)[..., None] - after[0][:, None]
    x, y, depth = (np.einsum("nkc,nc->nk", spots, axis) for axis in after[1:])
    behind = depth <= 1e-6
    depth, wide = np.where(behind, 1.0, depth), tan[:, None]
    moved = np.hypot(x / depth / wide - u, y / depth / wide - v) / 2  # of the whole width
    share = ((moved > SMEARED) | behind).mean(1)
    return np.interp(r.t, r.t[picked], share), np.interp(r.t, r.t[picked], np.quantile(far, 0.1, axis=1))


def _middles(n: int) -> Floats:
    return (2 * np.arange(n) + 1) / n - 1


def _eye(f: Findings, t: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """Where the camera is at clip times (n,), and its axes to the right, up and forward, each of shape (n, 3)."""
    r = f.ride
    position, forward = (
        np.stack([np.interp(t, r.t, rows[:, c]) for c in range(3)], -1) for rows in (r.position, r.poses.forward)
    )
    forward /= np.linalg.norm(forward, axis=1, keepdims=True)
    return position, *axes_of(forward), forward
