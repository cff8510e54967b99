"""What is trodden down and rises again, against a damped oscillator and the body's own width."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from lumwick.growth.trampling import AGO, DAMPED, EDGE, FLAT, STAYS, Body, Yields, push, springs_back
from lumwick.land.ground import Ground
from lumwick.place.document import Shot
from lumwick.place.growing import Stand
from lumwick.place.nature import Sea, Wind
from lumwick.place.objects import Shape, Thing
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.core.timing import ramp

UNMOVED = np.array([1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0], np.float32)
TALL = 0.6


def rolled(speed: float, t: float, radius: float = 0.3) -> Body:
    """Something that came from the west along y = 0 and passed x = 0 ``t`` seconds ago."""
    x = (t - AGO) * speed
    return Body("b", AGO, np.stack([x, 0 * x, 0 * x], 1), radius, 1.0)


def blades(x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Upright blades of four points: vertices (n, 4, 3) and feet."""
    z = np.linspace(0, TALL, 4)
    up = np.stack([np.broadcast_to(x[:, None], (len(x), 4)), np.broadcast_to(y[:, None], (len(x), 4)),
                   np.broadcast_to(z, (len(x), 4))], -1)  # fmt: skip
    return up.astype(np.float32), np.repeat(np.stack([x, y], 1), 4, 0).astype(np.float32)


def turned(bodies: list[Body], y: np.ndarray, rises: float = 14.0, hz: float = 2.0) -> np.ndarray:
    """Angles [rad] of blades at x = 0."""
    up, foot = blades(np.zeros(len(y)), y)
    flat = np.ascontiguousarray(up.reshape(-1, 3))
    push(flat, foot, UNMOVED, Yields(TALL, hz, rises), bodies)
    after = flat.reshape(up.shape)
    way = after[:, 3] - after[:, 0]
    return np.asarray(np.arctan2(np.hypot(way[:, 0], way[:, 1]), way[:, 2]))


def test_a_blade_springs_back_as_a_damped_oscillator() -> None:
    omega = 2 * np.pi * 1.7
    t = np.linspace(0, 4, 200)
    swing = solve_ivp(
        lambda _, v: [v[1], -2 * DAMPED * omega * v[1] - omega**2 * v[0]], (0, 4), [1.0, 0.0], t_eval=t, rtol=1e-9
    ).y[0]
    ours = np.array([springs_back(float(s), omega, 0.0, 14.0, DAMPED) for s in t])
    assert ours == pytest.approx(swing, abs=1e-5)
    slow = np.array([springs_back(float(s), omega, 1.0, 5.0, DAMPED) for s in t])
    assert slow == pytest.approx(np.exp(-t / 5.0))


@pytest.mark.parametrize("radius", [0.1, 0.35])
@pytest.mark.parametrize("speed", [0.5, 30.0, 300.0])
def test_a_track_is_as_wide_as_what_made_it_at_any_speed(radius: float, speed: float) -> None:
    y = np.linspace(-1, 1, 401)
    angle = turned([rolled(speed, 0.3, radius)], y)
    down = y[angle > 0.5 * angle.max()]
    assert angle.max() > 0.9 * FLAT * (STAYS + (1 - STAYS) * -0.5)
    assert down.max() - down.min() == pytest.approx(2 * radius, abs=EDGE + 0.02)
    assert (angle[np.abs(y) > radius + EDGE] == 0).all()


def test_blades_keep_their_length_and_their_foot_and_go_aside_and_along() -> None:
    up, foot = blades(np.array([0.0, 0.0]), np.array([0.15, -0.15]))
    flat = np.ascontiguousarray(up.reshape(-1, 3))
    push(flat, foot, UNMOVED, Yields(TALL, 2.0), [rolled(2.0, 0.5)])
    after = flat.reshape(up.shape)
    assert np.linalg.norm(np.diff(after, axis=1), axis=2) == pytest.approx(TALL / 3, rel=0.01)
    assert after[:, 0] == pytest.approx(up[:, 0])
    assert (after[:, 3, 0] > 0.1).all() and after[0, 3, 1] > 0.16 and after[1, 3, 1] < -0.16


def test_what_was_trodden_rises_in_its_own_time_and_is_forgotten_smoothly() -> None:
    angle = [float(turned([rolled(3.0, t)], np.zeros(1), 8.0)[0]) for t in (2.0, 10.0, 22.0, 29.99, 31.0)]
    assert angle[1] / angle[0] == pytest.approx(np.exp(-1.0), rel=0.03)
    assert angle[2] < angle[1] and angle[3] < 0.001 and angle[4] == 0.0


def test_what_passes_over_bends_only_what_is_taller() -> None:
    over = rolled(2.0, 0.2)
    low = Body("b", over.ago, over.where + [0, 0, 0.45], 0.3, 1.0)
    high = Body("b", over.ago, over.where + [0, 0, 0.7], 0.3, 1.0)
    # a blade of 60 cm under a belly at 45 cm: turned until it is that low
    now = turned([Body("b", low.ago, low.where - [0.4, 0, 0], 0.3, 1.0)], np.zeros(1), 1e6)[0]
    assert now == pytest.approx(np.arccos(0.45 / TALL), rel=0.12)
    assert turned([high], np.zeros(1))[0] == 0.0


def test_a_ball_through_a_meadow_leaves_a_track_and_a_loop_of_it_closes() -> None:
    area = [(-6, -4), (6, -4), (6, 4), (-6, 4)]
    meadow = Stand(id="m", name="M", kind="meadow", area=area, per_hectare=26000, height=0.7)
    ball = Thing(id="ball", name="Ball", shape=Shape(kind="ball", width=0.6, depth=0.6, height=0.6),
                 east=ramp((0, -8), (2, 8), (4, -8)), north=0.0, up=0.0)  # fmt: skip
    shot: Shot = small_place().shots[0].model_copy(update={"frames": 96, "loop": True})
    place = small_place(growth=[meadow], things=[ball], sea=Sea(present=False), wind=Wind(speed=0.0), shots=[shot])
    setting = Setting(place, Ground(np.zeros((33, 33), np.float32), 2.0, -32.0, -32.0))
    stage = Stage(setting)
    eye = np.array([0.0, -6.0, 3.0])

    def heights(t: float, of: Stage) -> dict[float, float]:
        """Mean height of blades' tips, by how far off the ball's way they stand."""
        snapshot = evaluate(setting, shot, t)
        of.set(snapshot, eye)
        found: dict[float, list[float]] = {}
        for stand_state in of.stands.stand_states:
            for batch in stand_state.batches:
                for (k, _, _), shape in batch.own.items():
                    if shape.moved != "touched":
                        continue
                    m = batch.upright[k].reshape(4, 3).T
                    foot = shape.form.foot @ m[:2, :2].T + m[:2, 3]
                    tip = shape.form.vertices[:, 2] > 0.3
                    for low in (0.0, 0.6):
                        band = tip & (np.abs(foot[:, 1]) >= low) & (np.abs(foot[:, 1]) < low + 0.25)
                        found.setdefault(low, []).extend(shape.vertices[band, 2].tolist())
        return {low: float(np.mean(values)) for low, values in found.items()}

    at = heights(1.5, stage)
    assert at[0.0] < 0.6 * at[0.6]
    # alone or after another instant, and where the loop comes round, it is the same
    assert heights(1.5, Stage(setting)) == pytest.approx(at)
    assert heights(0.25, stage) == pytest.approx(heights(4.25, stage), rel=1e-3)
