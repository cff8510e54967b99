"""Camera, timebase, easing, sway and wind against formulas with a published source."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from lumwick.air.wind import gusts, log_profile
from lumwick.growth.sway import cantilever_frequency, lean
from lumwick.lens.camera import (
    circle_of_confusion,
    ev100,
    exposure_scale,
    hyperfocal,
    incident_illuminance,
)
from lumwick.lens.lens import Lens
from lumwick.motion.channel import Channel, Key, at, evaluate
from lumwick.motion.timebase import RATES, frame_time, joined_views, plan_lapse, time_frame, timecode
from lumwick.trace.integrator.facets import fresnel


def test_lens() -> None:
    assert Lens(50.0).angle == pytest.approx(39.6, abs=0.05)  # 2 atan(36 / 100)
    assert ev100(16.0, 1 / 100) == pytest.approx(
        14.64, abs=0.01
    )  # the f/16 rule is EV 15 within a third of a stop (common practice)
    assert abs(ev100(16.0, 1 / 125) - 15) < 1 / 3
    assert incident_illuminance(15.0) == pytest.approx(81920.0)  # ISO 2720, C = 250
    assert hyperfocal(50.0, 8.0) == pytest.approx(50**2 / (8 * 0.03) / 1000 + 0.05)
    assert circle_of_confusion(50.0, 8.0, hyperfocal(50.0, 8.0), 1e9) == pytest.approx(
        0.03, rel=0.01
    )  # what defines it
    assert exposure_scale(15.0) * 0.18 * 81920 / np.pi == pytest.approx(0.18)


def test_fresnel_of_water() -> None:
    assert fresnel(1.0, 1.333) == pytest.approx(0.0204, abs=1e-4)  # ((n - 1) / (n + 1))^2, 2.0 %
    brewster = np.radians(53.12)  # atan 1.333: only s-polarised light is reflected
    n, ci = 1.333, np.cos(brewster)
    ct = np.sqrt(1 - (np.sin(brewster) / n) ** 2)
    assert fresnel(ci, n) == pytest.approx(0.5 * ((ci - n * ct) / (ci + n * ct)) ** 2, rel=1e-3)


def test_timecode_table() -> None:
    # SMPTE ST 12-1: drop-frame skips ;00 and ;01 each minute but every tenth; ten minutes hold 17 982 frames
    ntsc = RATES["29.97"]
    assert timecode(1800, ntsc, drop=True) == "00:00:59;29"
    assert timecode(1801, ntsc, drop=True) == "00:01:00;02"
    assert timecode(17983, ntsc, drop=True) == "00:10:00;00"
    assert timecode(1801, ntsc) == "00:01:00:00"
    assert timecode(25 * 3600 + 1, RATES["25"]) == "01:00:00:00"


@settings(deadline=None)
@given(st.integers(1, 24 * 3600 * 60), st.sampled_from(sorted(RATES)))
def test_frames_and_seconds_round_trip(frame: int, name: str) -> None:
    assert time_frame(frame_time(frame, RATES[name]), RATES[name]) == frame


def test_time_lapse_and_joined_views() -> None:
    assert plan_lapse(event=3 * 3600, clip=10, fps=24).interval == 45.0  # common practice: 3 h into 10 s at 24
    assert joined_views(15, 10) == 141  # common practice


def test_channel_beyond_its_keys() -> None:
    keys = [Key(t=0, v=0, join="straight"), Key(t=2, v=4, join="straight")]
    assert [at(Channel(keys=keys), t) for t in (-1, 0, 1, 2, 9)] == [0, 0, 2, 4, 4]
    assert at(Channel(keys=keys, after="straight_on", before="straight_on"), 3) == pytest.approx(6)
    assert at(Channel(keys=keys, after="cycle"), 3) == pytest.approx(2)
    assert np.array_equal(evaluate(5.0, np.zeros(3)), [5, 5, 5])
    with pytest.raises(ValueError, match="same time"):
        Channel(keys=[Key(t=1, v=0), Key(t=1, v=2)])


def test_sway() -> None:
    # uniform cantilever, first mode 3.516 / 2 pi sqrt(EI / rho A L^4) (Blevins, Formulas for Natural Frequency,
    # from memory)
    f1 = cantilever_frequency(10e9, 0.1, 10.0, 800.0)
    inertia, area = np.pi * 0.1**4 / 4, np.pi * 0.1**2
    assert f1 == pytest.approx(3.516 / (2 * np.pi) * np.sqrt(10e9 * inertia / (800 * area * 10.0**4)), rel=1e-3)
    wind = gusts(5.0, 240.0, 0.2, 1, loop=4.0)
    x, y = np.array([0.0, 3.0, 60.0]), np.array([0.0, 1.0, 20.0])
    natural, phase = np.array([0.6, 0.7, 0.66]), np.array([0.3, 2.0, 5.0])
    series = np.array([lean(np.stack([x, y], 1), natural, phase, 0.001, wind, t) for t in np.linspace(0, 4, 161)])
    assert np.allclose(series[0], series[-1], atol=1e-9)  # loops exactly
    a = series[:-1, 0, 0] - series[:-1, 0, 0].mean()
    b = series[:-1, 2, 0] - series[:-1, 2, 0].mean()
    assert abs((a * b).mean() / (a.std() * b.std())) < 0.7  # two plants of a kind do not move alike
    # the mean lean of a compliance of 0.001 in 5 m/s is 0.025, as the push goes by the square; gusts of a fifth of the
    # wind swing by twice that share of it (U^2 + 2 U u'), and more near the stem's own frequency
    leans = series @ wind.toward
    assert leans.mean() == pytest.approx(0.025, rel=0.1)
    assert 2 * 0.2 < leans.std() / leans.mean() < 3 * 2 * 0.2


def test_wind() -> None:
    # log law over open land (Davenport roughness 0.03 m): U(2) / U(10) = ln(2 / 0.03) / ln(10 / 0.03)
    assert log_profile(10.0, 2.0, 0.03) == pytest.approx(10 * np.log(2 / 0.03) / np.log(10 / 0.03))
    g = gusts(8.0, 270.0, 0.2, 5)
    t = np.linspace(0, 900, 4000)

    def gust(east: float, late: float = 0.0) -> NDArray[np.float64]:
        """Speed's departure from its mean, as a stem that answers at once shows it: push U^2 + 2 U u'."""
        small, stiff = 1e-7, np.array([1e4])
        lean_ = [lean(np.array([[east, 0.0]]), stiff, np.zeros(1), small, g, k + late)[0, 0] for k in t]
        return (np.array(lean_) / small - 8.0**2) / (2 * 8.0)

    u, there, meanwhile = gust(0.0), gust(40.0, 5.0), gust(40.0)
    assert u.std() == pytest.approx(0.2 * 8.0, rel=0.15)
    # Taylor: what is here now is 40 m downwind (east) 5 s later, more or less
    assert np.corrcoef(u, there)[0, 1] > np.corrcoef(u, meanwhile)[0, 1] + 0.1
