"""Plants as they are drawn, in a steady wind and in one gust, against the equations of a damped cantilever."""

from dataclasses import replace

import numpy as np
import pandas as pd
import pytest
from pyconturb.spectral_models import kaimal_spectrum

from lumwick.air.wind import Gusts, gusts, kaimal
from lumwick.growth.kinds import KINDS
from lumwick.growth.natural_frequency import CROWN, SAP_DENSITY, STIFFNESS_PA, natural_frequencies, stem_hz, streamlined
from lumwick.growth.sway import cantilever_frequency
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera
from lumwick.place.growing import Stand
from lumwick.place.nature import Sea, Wind
from lumwick.snapshot.evaluate import Setting, Snapshot, evaluate
from lumwick.trace.instance_batches import Sway
from lumwick.trace.stage import Stage
from tests.conftest import small_place

FLAT = Ground(np.zeros((65, 65), np.float32), 8.0, -256.0, -256.0)
DAMPING = 0.12
"""Share of the critical damping that all stems have (broad practice)."""
HEIGHT = 6.0


def steady(speed: float, toward: float) -> Gusts:
    """A wind of one speed to a bearing [degrees]."""
    b = np.radians(toward)
    none = np.zeros(0)
    return Gusts(none, none, none, np.zeros((0, 2)), speed, np.array([np.sin(b), np.cos(b)]))


def one_gust(hz: float, amplitude: float, mean: float = 2.0, wave: tuple[float, float] = (0.0, 0.0)) -> Gusts:
    """A wind to the east with one harmonic, at its crest at t = 0 where x = y = 0."""
    omega = np.array([2 * np.pi * hz])
    return Gusts(omega, np.array([amplitude]), np.zeros(1), np.array([wave]), mean, np.array([1.0, 0.0]))


@pytest.fixture(scope="module")
def grove() -> tuple[Stage, Snapshot]:
    """Pines of nearly one height on level ground."""
    pines = Stand(
        id="p", name="P", kind="pine", area=[(-40, -40), (40, -40), (40, 40), (-40, 40)], per_hectare=60, height=HEIGHT
    )
    setting = Setting(small_place(growth=[pines], sea=Sea(present=False)), FLAT)
    stage = Stage(setting)
    seen = evaluate(setting, setting.place.shots[0], 0.0)
    stage.set(seen)
    return stage, seen


def slopes(grove: tuple[Stage, Snapshot], wind: Gusts, t: float = 0.0) -> np.ndarray:
    """East and north lean, and place and height, of every pine as it is placed for the camera; shape (n, 5)."""
    stage, seen = grove
    parts, _ = stage.stands.parts(Sway.of(replace(seen, wind=wind, t=t)))
    rows = []
    for name, part in parts.items():
        if name.endswith("scattered"):
            continue
        m = part.transforms.astype(float)
        scale = np.hypot(m[:, 0], m[:, 1])  # the foot's axis across: a plant's size
        rows.append(np.column_stack([m[:, 6] / m[:, 8], m[:, 7] / m[:, 8], m[:, 9], m[:, 10], scale * HEIGHT]))
    out = np.concatenate(rows)
    return out[np.lexsort((out[:, 3], out[:, 2]))]


@pytest.mark.parametrize("toward", [0.0, 90.0, 215.0])
def test_they_lean_downwind_by_their_compliance(grove: tuple[Stage, Snapshot], toward: float) -> None:
    speed, way = 4.0, np.array([np.sin(np.radians(toward)), np.cos(np.radians(toward))])
    leant = slopes(grove, steady(speed, toward))[:, :2]
    assert len(leant) > 20
    # a slope of the compliance for 1 m/s, with the square of the speed; stems streamline by a few per cent here
    expected = KINDS["pine"].compliance * speed**2 * streamlined(speed)
    assert leant @ way == pytest.approx(np.full(len(leant), expected), rel=0.03)
    assert np.abs(leant @ [way[1], -way[0]]).max() < 1e-9
    # it is the stem's top that goes there: placed, its axis upward points downwind of its foot
    part = next(iter(grove[0].stands.parts(Sway.of(replace(grove[1], wind=steady(speed, toward))))[0].values()))
    assert (part.transforms[:, 6:8] @ way > 0).all() and (part.transforms[:, 8] > 0).all()


def test_a_stronger_wind_bends_with_the_square_of_its_speed_until_stems_streamline(grove: tuple) -> None:
    light, double, gale = (slopes(grove, steady(u, 90.0))[:, 0].mean() for u in (2.0, 4.0, 40.0))
    assert double / streamlined(4.0) == pytest.approx(4 * light / streamlined(2.0), rel=0.02)
    assert gale < 1 / 1.6 + 1e-9  # no slope grows without end


@pytest.mark.parametrize(("roughness", "of"), [(0.0002, "open sea"), (0.03, "open land"), (1.0, "forest")])
def test_rough_ground_shelters_them_by_the_log_law(grove: tuple, roughness: float, of: str) -> None:
    """Davenport's classes; a pine of 6 m stands in the wind of 6 m, told against open land."""
    wind = Wind(speed=3.0, from_bearing=270.0, gustiness=0.0, roughness=roughness)
    setting = Setting(small_place(wind=wind, sea=Sea(present=False)), FLAT)
    blown = evaluate(setting, setting.place.shots[0], 0.0)
    leant = slopes(grove, blown.wind)[:, 0]

    def at_six(z0: float) -> float:
        return float(np.log(HEIGHT / z0) / np.log(10.0 / z0))

    reaches = 3.0 * at_six(roughness) / at_six(0.03)
    expected = KINDS["pine"].compliance * reaches**2 * streamlined(reaches)
    assert leant == pytest.approx(np.full(len(leant), expected), rel=0.03), of


def amplitude_and_lag(grove: tuple, hz: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Each pine's swing [slope] and lag [rad] behind the wind for a harmonic of a frequency; and its height."""
    n = 16
    t = np.arange(n) / n / hz
    series = np.stack([slopes(grove, one_gust(hz, 0.05), float(k)) for k in t])
    wave = (series[:, :, 0] * np.exp(-2j * np.pi * hz * t)[:, None]).mean(0) * 2
    return np.abs(wave), -np.angle(wave), series[0, :, 4]


def test_they_follow_a_slow_gust_and_lag_behind_a_quick_one_as_a_damped_mode_does(grove: tuple) -> None:
    compliance = KINDS["pine"].compliance
    heights = slopes(grove, steady(2.0, 90.0))[:, 4]
    # uniform cantilever with a trunk of 0.0133 of its height for radius, slowed by its crown; each plant within a fifth
    natural = CROWN * np.array([cantilever_frequency(STIFFNESS_PA, 0.0133 * h, h, SAP_DENSITY) for h in heights])
    assert natural == pytest.approx(
        CROWN * 3.516 / (2 * np.pi) * np.sqrt(STIFFNESS_PA * (0.0133 * heights) ** 2 / 4 / (SAP_DENSITY * heights**4)),
        rel=1e-3,
    )
    slow, lag, _ = amplitude_and_lag(grove, 0.01)
    # U^2 + 2 U u': a gust of 0.05 on 2 m/s swings by twice their product
    assert slow == pytest.approx(np.full(len(slow), compliance * 2 * 2.0 * 0.05 * streamlined(2.0)), rel=0.03)
    assert np.abs(lag).max() < 0.02
    # a sweep of frequencies finds where each resonates: at f0 sqrt(1 - 2 z^2), by 1 / (2 z sqrt(1 - z^2))
    hz = np.geomspace(0.7 * natural.min(), 1.35 * natural.max(), 80)
    swings, lags = (np.stack(v) for v in zip(*(amplitude_and_lag(grove, float(f))[:2] for f in hz), strict=True))
    peak = hz[swings.argmax(0)] / np.sqrt(1 - 2 * DAMPING**2)
    assert ((peak / natural > 0.80) & (peak / natural < 1.22)).all()
    assert np.unique(np.round(peak / natural, 3)).size > 10  # each has its own
    assert swings.max(0) / slow == pytest.approx(
        np.full(len(slow), 1 / (2 * DAMPING * np.sqrt(1 - DAMPING**2))), rel=0.02
    )
    # the lag of H = 1 / (1 - r^2 + 2 i z r) at each frequency
    r = hz[:, None] / peak[None]
    expected = np.arctan2(2 * DAMPING * r, 1 - r * r)
    assert np.abs(lags - expected).max() < 0.15  # the peak is known to a step of the sweep


def test_a_gust_is_carried_downwind(grove: tuple) -> None:
    # Taylor's hypothesis: at 5 m/s what passes the western pines meets those 30 m east of them 6 s later
    hz = 0.05
    wave = (2 * np.pi * hz / 5.0, 0.0)
    t = np.arange(16) / 16 / hz
    series = np.stack([slopes(grove, one_gust(hz, 0.05, 5.0, wave), float(k))[:, 0] for k in t])
    phase = -np.angle((series * np.exp(-2j * np.pi * hz * t)[:, None]).mean(0))
    x = slopes(grove, steady(5.0, 90.0))[:, 2]
    west, east = int(x.argmin()), int(x.argmax())
    seconds = ((phase[east] - phase[west]) % (2 * np.pi)) / (2 * np.pi * hz)
    assert seconds == pytest.approx((x[east] - x[west]) / 5.0, rel=0.03)


def test_gusts_have_the_spread_asked_for_and_blow_to_the_other_side_than_they_come_from() -> None:
    wind = gusts(8.0, 270.0, 0.2, 5)
    t = np.linspace(0, 900, 4000)
    u = np.cos(wind.omega * t[:, None] + wind.phase) @ wind.amplitude
    assert u.std() == pytest.approx(0.2 * 8.0, rel=0.15)
    # every harmonic runs downwind, more or less, at the mean speed
    assert (wind.wave @ wind.toward > 0).mean() > 0.9
    assert np.linalg.norm(wind.wave, axis=1) == pytest.approx(wind.omega / 8.0)


@pytest.mark.parametrize(("height", "breast_cm"), [(8.0, 21.0), (12.0, 32.0), (18.0, 48.0)])
def test_conifers_swing_as_measured(height: float, breast_cm: float) -> None:
    # J. Moore and D. Maguire, Natural sway frequencies and damping ratios of trees (2004): 0.0766 + 3.1219 D / H^2
    # over 602 conifers (D in cm, H in m; from memory)
    measured = 0.0766 + 3.1219 * breast_cm / height**2
    assert float(stem_hz("pine", np.array([height]))[0]) == pytest.approx(measured, rel=0.2)


def test_drag_grows_with_vogels_power_in_a_gale() -> None:
    # S. Vogel (1989): drag on leafy trees goes as the speed to the power of 2 + E, E about -0.7 (from memory)
    def drag(speed: float) -> float:
        return speed**2 * streamlined(speed)

    assert np.log(drag(2.0) / drag(1.0)) / np.log(2) == pytest.approx(2.0, abs=0.03)
    assert np.log(drag(60.0) / drag(30.0)) / np.log(2) == pytest.approx(1.3, abs=0.1)


def test_gusts_have_the_spectrum_of_the_wind_codes() -> None:
    # pyconturb's spectrum is that of IEC 61400-1, of unit variance
    points = pd.DataFrame([[0], [0.0], [0.0], [10.0]], index=["k", "x", "y", "z"])
    for speed in (3.0, 9.0):
        n = np.geomspace(0.02, 3.0, 40)
        theirs = kaimal_spectrum(n, points, u_ref=speed)[:, 0]
        assert kaimal(n, speed, 10.0, 1.0) == pytest.approx(theirs, rel=0.06)


def test_neighbours_are_not_in_step(grove: tuple) -> None:
    wind = gusts(5.0, 270.0, 0.25, 3)
    t = np.arange(0, 90, 0.5)
    series = np.stack([slopes(grove, wind, float(k))[:, 0] for k in t])
    together = np.corrcoef(series.T)
    x, y = slopes(grove, wind)[:, 2:4].T
    near = np.hypot(x[:, None] - x, y[:, None] - y)
    np.fill_diagonal(near, np.inf)
    nearest = near.argmin(1)
    assert np.abs(together[np.arange(len(x)), nearest]).mean() < 0.3


def test_stiffer_is_quicker_and_bends_less_and_wilder_bends_more(grove: tuple) -> None:
    stage, _ = grove
    stand_state = stage.stands.stand_states[0]
    usual = stand_state.stand
    swing = {}
    for name, change in {"usual": {}, "stiff": {"stiffness": 4.0}, "wild": {"wild": 2.0}}.items():
        stand_state.stand = usual.model_copy(update=change)
        swing[name] = slopes(grove, steady(3.0, 90.0))[:, 0].mean()
    stand_state.stand = usual
    assert swing["stiff"] == pytest.approx(swing["usual"] / 4, rel=0.03)
    assert swing["wild"] == pytest.approx(swing["usual"] * 2, rel=0.03)
    assert natural_frequencies(usual.model_copy(update={"stiffness": 4.0})).stem == pytest.approx(
        2 * natural_frequencies(usual).stem
    )


def test_leaves_flutter_about_four_times_a_second() -> None:
    """As they are drawn: the quickest motion of a poplar's leaves over eight seconds. About 4 Hz is practice; each leaf
    group is within a fifth of it."""
    poplar = Stand(
        id="p", name="P", kind="poplar", area=[(-9, -9), (9, -9), (9, 9), (-9, 9)], per_hectare=300, height=8
    )
    setting = Setting(small_place(growth=[poplar], sea=Sea(present=False)), FLAT)
    stage = Stage(setting)
    seen = evaluate(setting, setting.place.shots[0], 0.0)
    stage.set(seen)
    rate, n = 32, 256
    batch = next(batch for batch in stage.stands.stand_states[0].batches if batch.shapes)
    shape = next(shape for shape in batch.shapes.values() if shape.level == 0)
    loose = np.argsort(shape.form.flutter)[-400:]
    series = np.empty((n, len(loose), 3))
    for k in range(n):
        stage.stands.parts(Sway.of(replace(seen, wind=steady(1.0, 90.0), t=k / rate)))
        series[k] = shape.vertices[loose, :3]
    hz = np.fft.rfftfreq(n, 1 / rate)
    power = (np.abs(np.fft.rfft((series - series.mean(0)) * np.hanning(n)[:, None, None], axis=0)) ** 2).sum((1, 2))
    quick = hz > 2.6  # quicker than branches, and than a flutter of half this frequency
    assert power[quick].sum() > 0.1 * power.sum()
    assert (hz[quick] * power[quick]).sum() / power[quick].sum() == pytest.approx(4.1, rel=0.1)
    assert power[hz > 1.3 * 4.1].sum() < 0.01 * power.sum()


@pytest.mark.parametrize(("kind", "ends"), [("pine", (60.0, 220.0)), ("oak", (60.0, 210.0))])
def test_each_level_of_detail_is_drawn_as_far_off_as_it_is_made_for(kind: str, ends: tuple[float, float]) -> None:
    """Trees within 60 m are drawn whole, beyond about 200 m in their simplest form (practice); each changes within a
    fifth of that, so that no ring is seen."""
    wood = Stand(id="p", name="P", kind=kind, area=[(-9, 0), (9, 0), (9, 250), (-9, 250)], per_hectare=500, height=7)  # type: ignore[arg-type]
    setting = Setting(small_place(growth=[wood], sea=Sea(present=False)), FLAT)
    stage = Stage(setting)
    eye = Camera(np.array([0.0, 0.0, 2.0]), np.array([0.0, 1.0, 0.0]))
    stage.set(evaluate(setting, setting.place.shots[0], 0.0, eye))
    away: dict[int, list[float]] = {0: [], 1: [], 2: []}
    for stand_state in stage.stands.stand_states:
        for batch in stand_state.batches:
            for level, _, _, which in batch.lods:
                away[level] += np.linalg.norm(batch.plants.position[which] - eye.position, axis=1).tolist()
    assert all(len(found) > 10 for found in away.values())
    for level, end in enumerate(ends):
        assert 0.8 * end < max(away[level]) < 1.2 * end, level
        assert 0.8 * end < min(away[level + 1]) < 1.2 * end, level
