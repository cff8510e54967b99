"""How far things move on the picture, from a stage that was never set before."""

import numpy as np
import pytest

from lumwick.demo import saltmere
from lumwick.lens.camera import Camera
from lumwick.picture import load_setting
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.amount import amount_of_motion
from lumwick.trace.lock import ENGINE
from lumwick.trace.motion_vectors import first_hits, motion_vectors, spots
from lumwick.trace.stage import Stage
from lumwick.trace.world import PLANT

SIZE = (96, 54)
SHOTS = ("dawn", "boardwalk", "sunset", "pine")


@pytest.fixture(scope="module")
def demo() -> Setting:
    return load_setting(saltmere())


@pytest.mark.parametrize("name", SHOTS)
def test_every_shot_from_a_fresh_stage(demo: Setting, name: str) -> None:
    shot = demo.place.shot(name)
    t, step = shot.seconds / 2, 1 / 24
    stage = Stage(demo)
    now = evaluate(demo, shot, t)

    def later(camera: Camera):
        return evaluate(demo, shot, t + step, camera)

    d = motion_vectors(stage, now, later, now.camera, SIZE)
    plants = (d.hits.kind == PLANT) & np.isfinite(d.place).all(-1)
    assert plants.sum() > 100
    size = np.linalg.norm(d.place[plants], axis=-1)
    assert np.quantile(size, 0.98) < 6  # a picture 96 wide: no leaf of it crosses a sixteenth in a frame

    # a second trace, of the place as it is then, meets the same face of the same plant where it was said to be
    fresh = Stage(demo)
    fresh.set(now)
    with ENGINE:
        seen = first_hits(fresh, fresh.view(*SIZE), SIZE)
        fresh.set(later(now.camera))
        there = spots(fresh, seen)
        rows, columns = np.nonzero(plants)
        some = np.random.default_rng(5).permutation(len(rows))[:120]
        met = []
        for y, x in zip(rows[some], columns[some], strict=True):
            way = there[y, x] - now.camera.position
            far = float(np.linalg.norm(way))
            again = first_hits(fresh, fresh.view(1, 1, Camera(now.camera.position, way / far, 50.0)), (1, 1))
            same = again.part[0, 0] >= 0 and again.names[again.part[0, 0]] == seen.names[seen.part[y, x]]
            met.append(
                same
                and again.placement[0, 0] == seen.placement[y, x]
                and again.primitive[0, 0] == seen.primitive[y, x]
                and abs(again.uvd[0, 0, 2] - far) < 1e-3 * far
            )
    # thin leaves before one another: a third has gone behind another since; a wrong face would be met by none
    assert np.mean(met) > 0.6


@pytest.mark.parametrize("name", SHOTS)
def test_the_amounts_told_are_those_of_a_stage_that_was_set_before(demo: Setting, name: str) -> None:
    shot = demo.place.shot(name)
    new, used = Stage(demo), Stage(demo)
    fresh = amount_of_motion(new, demo, shot, 1.0, size=SIZE)
    for other in (0.0, shot.seconds / 2):
        used.set(evaluate(demo, shot, other))
    again = amount_of_motion(used, demo, shot, 1.0, size=SIZE)
    assert np.array_equal(fresh.map, again.map)
    # the kernel's numbers of parts, and so of things in mattes, are the same whatever was set before
    assert list(new.parts()) == list(used.parts()) and new.things == used.things
    assert np.array_equal(new.world.geometry.thing, used.world.geometry.thing)
    assert fresh.amounts == again.amounts
    for amount in fresh.amounts:
        if amount.name == "plants":
            assert 0 < amount.most < 60, amount  # pixels a frame of a picture 1280 wide
