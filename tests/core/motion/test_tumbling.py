"""Throws of what is not round: how it turns, strikes, slides and lies."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage
from scipy.spatial.transform import Rotation

from lumwick.errors import PlaceError
from lumwick.motion.throwing import GRAVITY, Throw
from lumwick.motion.tumbling import Tumble, body_of, tumble
from lumwick.place.edits import apply, command
from lumwick.place.objects import Shape, Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.thrown import throw_edit
from tests.core.motion.test_throwing import ground, level, values

__all__ = ["ground"]
UPRIGHT = np.eye(3)


def crate(width: float, depth: float, height: float) -> np.ndarray:
    return np.array(np.meshgrid([0, width], [0, depth], [0, height], indexing="ij"), float).reshape(3, -1).T


def energy(body, gone: Tumble) -> np.ndarray:
    """Over the mass, at each step but the ends [m2/s2]."""
    dt = gone.t[1] - gone.t[0]
    velocity = np.diff(gone.centre, axis=0) / dt
    turning = (Rotation.from_matrix(gone.turned[1:]) * Rotation.from_matrix(gone.turned[:-1]).inv()).as_rotvec() / dt
    own = np.einsum("nji,nj->ni", gone.turned[:-1], turning)
    middle = (gone.centre[1:] + gone.centre[:-1]) / 2
    return (velocity**2).sum(1) / 2 + np.einsum("ni,ij,nj->n", own, body.inertia, own) / 2 + GRAVITY * middle[:, 2]


def test_inertia_of_a_box_is_the_handbooks() -> None:
    # m (b^2 + c^2) / 12 about each axis of a cuboid (any mechanics textbook)
    body = body_of(crate(0.4, 0.6, 1.0))
    expected = [(0.36 + 1.0) / 12, (0.16 + 1.0) / 12, (0.16 + 0.36) / 12]
    assert np.diag(body.inertia) == pytest.approx(expected, rel=1e-9)
    assert body.centre == pytest.approx([0.2, 0.3, 0.5])


def test_what_slides_stops_after_v_squared_over_2_mu_g() -> None:
    # block on a level floor with Coulomb's friction: v^2 / (2 mu g) (any mechanics textbook)
    body = body_of(crate(1.0, 1.0, 0.1))
    gone = tumble(Throw(speed=4, rise=0, spin=0, bounce=0, grip=0.4), body, np.array([0, 0, 2.05]), UPRIGHT, 0, level)
    assert np.linalg.norm(gone.centre[-1] - gone.centre[0]) == pytest.approx(16 / (2 * 0.4 * GRAVITY), rel=0.02)
    assert gone.turned[-1] == pytest.approx(UPRIGHT, abs=0.01)
    ice = tumble(Throw(speed=4, rise=0, spin=0, bounce=0, grip=0.2), body, np.array([0, 0, 2.05]), UPRIGHT, 0, level)
    assert np.linalg.norm(ice.centre[-1] - ice.centre[0]) == pytest.approx(16 / (2 * 0.2 * GRAVITY), rel=0.02)


def test_a_flight_is_the_parabola_and_keeps_its_turning() -> None:
    body = body_of(crate(0.3, 0.5, 0.9))
    throw = Throw(speed=8, bearing=90, rise=50, spin=1.5, bounce=0)
    start = np.array([0.0, 0.0, 4.0])
    gone = tumble(throw, body, start, Rotation.from_euler("x", 20, degrees=True).as_matrix(), 2.0, level)
    flies = (gone.t < 2.9) & (gone.t > 2.0)
    s = gone.t[flies] - 2.0
    a = np.radians(50)
    assert gone.centre[flies, 2] == pytest.approx(4 + 8 * np.sin(a) * s - GRAVITY / 2 * s * s, abs=0.02)
    assert gone.centre[flies, 0] == pytest.approx(8 * np.cos(a) * s, abs=1e-6)
    spent = energy(body, gone)[: flies.sum()]
    assert spent == pytest.approx(spent[0], rel=2e-3)


@pytest.mark.parametrize("sides", [(0.5, 0.5, 0.5), (0.3, 0.5, 0.9), (1.2, 0.4, 0.2)])
@pytest.mark.parametrize("spin", [0.0, 1.3])
def test_it_never_gains_energy_and_comes_to_lie_on_a_side(sides, spin) -> None:
    body = body_of(crate(*sides))
    start = Rotation.from_euler("ZXY", [20, 10, 5], degrees=True).as_matrix()
    gone = tumble(Throw(speed=4, bearing=30, spin=spin, bounce=0.4), body, np.array([0, 0, 3.5]), start, 0, level)
    # a step at which it strikes also lifts it out of the floor, which looks like speed: medians are asked
    spent = ndimage.median_filter(energy(body, gone), 21)
    assert (spent - np.minimum.accumulate(spent)).max() < 0.02 * (spent[0] - GRAVITY * 2)
    # one of its axes is upright, and its middle half a side over the floor
    which = int(np.abs(gone.turned[-1][2]).argmax())
    assert np.abs(gone.turned[-1][2]).max() > np.cos(np.radians(1.0))
    assert gone.centre[-1, 2] - 2.0 == pytest.approx(sides[which] / 2, abs=0.01)
    points = body.points @ gone.turned.transpose(0, 2, 1) + gone.centre[:, None]
    assert points[..., 2].min() > 2.0 - 0.03


def test_a_tall_one_falls_over_and_a_flat_one_does_not() -> None:
    shove = Throw(speed=2.5, rise=0, spin=0, bounce=0.1, grip=0.8)
    tall = tumble(shove, body_of(crate(0.3, 0.3, 1.2)), np.array([0, 0, 2.6]), UPRIGHT, 0, level)
    flat = tumble(shove, body_of(crate(1.2, 1.2, 0.3)), np.array([0, 0, 2.15]), UPRIGHT, 0, level)
    assert abs(tall.turned[-1][2, 2]) < 0.1 and flat.turned[-1][2, 2] > 0.99


def test_it_tips_off_a_table() -> None:
    def table(x, y, z):
        return np.where((np.abs(x) < 0.5) & (np.abs(y) < 0.5) & (z > 0.9), 1.0, 0.0)

    gone = tumble(
        Throw(speed=2.6, bearing=90, rise=0, spin=0, bounce=0.1),
        body_of(crate(0.4, 0.4, 0.2)),
        np.array([0, 0, 1.1]),
        UPRIGHT,
        0,
        table,
    )
    assert gone.centre[-1, 0] > 0.5 and gone.centre[-1, 2] < 0.3


def test_a_thrown_box_is_keyed_as_it_went(ground: Setting) -> None:
    box = Thing(id="box", name="Box", shape=Shape(kind="box", width=0.6, depth=0.4, height=0.8), up=11.0, turn=25)
    setting = Setting(ground.place.model_copy(update={"things": [box]}), ground.ground)
    shot = setting.place.shots[0].model_copy(update={"frames": 240})
    throw = Throw(speed=5, bearing=60, rise=30, spin=1.5, bounce=0.35, grip=0.6)
    place, label = apply(setting.place, command(throw_edit(setting, shot, "box", throw, 0.5)))
    thing = place.things[0]
    assert label == "threw Box" and not thing.rolls
    after = Setting(place, ground.ground)
    corners = crate(0.6, 0.4, 0.8) - [0.3, 0.2, 0.0]
    lowest = []
    for t in np.linspace(0, 9.9, 200):
        standing = after.standing(shot, t)
        m = standing.frames(standing.place.things[0], np.array([t]))[0]
        lowest.append((corners @ m[:3, :3].T + m[:3, 3])[:, 2].min())
    assert lowest[0] == pytest.approx(11.0, abs=1e-3)
    assert lowest[-1] == pytest.approx(10.0, abs=0.01) and min(lowest) > 9.97
    # few keys say it, and it turned over at least once
    assert max(len(getattr(thing, name).keys) for name in ("east", "up", "tilt")) < 110
    assert np.ptp(values(thing.tilt, np.linspace(0, 9, 200))) > 90


def test_a_box_that_cannot_be_thrown_says_so() -> None:
    body = body_of(crate(1, 1, 1))
    with pytest.raises(PlaceError, match="under the ground"):
        tumble(Throw(), body, np.zeros(3), UPRIGHT, 0, level)
    with pytest.raises(PlaceError, match="never comes down"):
        tumble(Throw(), body, np.zeros(3), UPRIGHT, 0, lambda x, y, z: np.full(len(x), -np.inf))
    with pytest.raises(PlaceError, match="never comes down"):  # over the edge of all there is
        ice = Throw(speed=6, rise=0, spin=0, bounce=0, grip=0.01)
        tumble(ice, body, np.array([0, 0, 0.5]), UPRIGHT, 0, lambda x, y, z: np.where(y < 4, 0.0, -np.inf))
