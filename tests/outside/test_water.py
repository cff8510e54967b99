"""Swell, tide, run-up and floating against published formulae, measured run-ups and reference libraries."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import numpy as np
import pandas as pd
import py_wave_runup
import pytest
import utide
from py_wave_runup.models import Stockdon2006
from scipy.signal import welch

from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.motion.tide import M2_CYCLES_AN_HOUR, tide_height
from lumwick.place.edits import apply, command
from lumwick.place.filming import Clock
from lumwick.place.nature import Sea
from lumwick.place.objects import Copies, Shape, Thing
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.waters import sea_state, told_state
from lumwick.water.floating import Afloat, Hull, answer
from lumwick.water.shore import run_up, setup, wash_of
from lumwick.water.spectrum import (
    SeaState,
    Train,
    beaufort,
    dispersion,
    significant_height,
    swell_density,
    swell_power,
    wind_of,
)
from lumwick.water.surface import heights_at, largest, surface, swells
from tests.conftest import small_place

WITH_SWELL = SeaState(7.0, 60e3, 40.0, 90.0, swell=Train(1.6, 9.0, 60.0, 14.0))


# -- sea ------------------------------------------------------------------------------------------------------


def test_told_height_and_period_are_the_seas() -> None:
    state = SeaState(7.0, 60e3, 400.0, 0.0, height=2.4, period=7.5)
    assert significant_height(state) == pytest.approx(2.4, rel=1e-3)
    z = surface(swells(state, 3, None), 0.0).displaced[..., 2]
    assert 4 * z.std() == pytest.approx(2.4, rel=0.05)


def test_swell_adds_its_energy_and_the_surface_carries_it() -> None:
    # energies add: Hs^2 = H_wind^2 + H_swell^2 (linear theory)
    wind = SeaState(7.0, 60e3, 40.0, 90.0)
    whole = np.hypot(significant_height(wind), 1.6)
    assert significant_height(WITH_SWELL) == pytest.approx(whole, rel=2e-3)
    # within 5 % over 20 seeds
    heights = [4 * surface(swells(WITH_SWELL, seed, None), 0.0).displaced[..., 2].std() for seed in range(20)]
    assert np.mean(heights) == pytest.approx(whole, rel=0.05)


def test_swell_is_seen_at_a_point_at_its_period_and_from_its_bearing() -> None:
    # by Welch's method (scipy) at a point; the bearing by the direction of the strongest waves
    waves = swells(WITH_SWELL, 5, None)
    t = np.arange(0, 3600, 0.5)
    z = heights_at(waves, np.zeros(len(t)), np.zeros(len(t)), t, 0.999)
    f, s = welch(z, 2.0, nperseg=1024)
    assert 1 / f[s.argmax()] == pytest.approx(9.0, rel=0.12)
    amplitude, kx, ky, omega = largest(waves[0], 0.999)
    sign = np.sign(omega)
    slow = (np.abs(omega) < 2 * np.pi / 7.5) & (np.abs(omega) > 2 * np.pi / 11)
    way = np.angle(
        (np.abs(amplitude[slow]) ** 2 * sign[slow] * (ky[slow] + 1j * kx[slow]) / np.hypot(kx, ky)[slow]).sum()
    )
    assert np.degrees(way) == pytest.approx(60.0, abs=8)


def test_swells_spread_is_the_one_told() -> None:
    # sigma^2 = 2 (1 - m1), m1 the mean cosine (Kuik, van Vledder and Holthuijsen 1988)
    theta = np.linspace(-np.pi, np.pi, 40001)
    for spread in (8.0, 15.0, 30.0):
        s = swell_power(Train(1, 9, 0, spread))
        density = np.abs(np.cos(theta / 2)) ** (2 * s)
        mean = np.trapezoid(density * np.cos(theta), theta) / np.trapezoid(density, theta)
        assert np.degrees(np.sqrt(2 * (1 - mean))) == pytest.approx(spread, rel=0.01)


def test_swells_density_has_its_height() -> None:
    w = np.linspace(0.05, 6, 60000)
    assert 4 * np.sqrt(np.trapezoid(swell_density(w, Train(2.0, 11.0, 0.0)), w)) == pytest.approx(2.0, rel=1e-3)


def test_beaufort_winds_there_and_back() -> None:
    assert [beaufort(wind_of(n)) for n in range(13)] == list(range(13))
    assert wind_of(8) == pytest.approx(18.9, abs=0.05)  # gale: 17.2 to 20.7 m/s (WMO)


def test_waves_higher_than_their_depth_bears_are_lowered_and_said() -> None:
    # the highest of a thousand, 1.86 Hs, at 0.78 of the depth (Longuet-Higgins 1952; McCowan 1894)
    state, words = told_state(Sea(by="height", wave_height=4.0, wave_period=8.0, depth=3.0, swell_height=5.0))
    assert state.height == pytest.approx(0.78 * 3 / 1.86) and state.swell.height == state.height
    assert "waves and swell lowered to 1.26 m: more breaks in 3 m" in words
    assert told_state(Sea(by="height", wave_height=1.0, wave_period=5.0, depth=14.0))[1] == ""


@pytest.mark.parametrize("wind", [0.0, 40.0])
def test_glass_and_storm_are_finite(wind: float) -> None:
    made = surface(swells(sea_state(Sea(wind_speed=wind)), 1, None), 3.0)
    assert np.isfinite(made.displaced).all() and (wind > 0 or np.abs(made.displaced[..., 2]).max() < 0.01)


def test_rate_slows_the_waves_and_a_loop_still_closes() -> None:
    slow = SeaState(7.0, 60e3, 40.0, 90.0, rate=0.25)
    fast = SeaState(7.0, 60e3, 40.0, 90.0)
    assert surface(swells(slow, 2, None), 8.0).displaced == pytest.approx(
        surface(swells(fast, 2, None), 2.0).displaced, abs=1e-5
    )
    waves = swells(slow, 2, 6.0)
    assert surface(waves, 6.0).displaced == pytest.approx(surface(waves, 0.0).displaced, abs=1e-4)


# -- tide -----------------------------------------------------------------------------------------------------


def test_tides_speed_is_m2s() -> None:
    # utide's own table of constituents
    constituents = utide._ut_constants.ut_constants["const"]
    m2 = list(constituents["name"]).index("M2")
    assert pytest.approx(float(constituents["freq"][m2]), rel=1e-6) == M2_CYCLES_AN_HOUR
    assert pytest.approx(0.0805114, abs=5e-8) == M2_CYCLES_AN_HOUR


def test_tide_stands_highest_at_its_hour_and_lowest_six_hours_twelve_later() -> None:
    assert tide_height(14.5, 14.5, 4.2) == pytest.approx(2.1)
    assert tide_height(14.5 + 6.2103, 14.5, 4.2) == pytest.approx(-2.1, abs=1e-4)


def tidal(hour: float, **sea: object) -> tuple[Setting, object]:
    shot = small_place().shots[0]
    start = dt.datetime(2026, 6, 5) + dt.timedelta(hours=hour)
    shot = shot.model_copy(update={"clock": Clock(start=start, speed=3600), "frames": 240})
    place = small_place(sea=Sea(tide_range=3.0, tide_high=12.0, **sea), shots=[shot], growth=[])
    return Setting(place, Ground(np.full((33, 33), -3.0, np.float32), 4.0, -64.0, -64.0)), shot


def test_the_sea_of_an_instant_stands_as_high_as_its_tide() -> None:
    setting, shot = tidal(12.0, level=0.5)
    assert setting.place.sea.surface == 0.5
    for t in (0.0, 3.0, 9.9):
        assert evaluate(setting, shot, t).place.sea.surface == pytest.approx(0.5 + tide_height(12 + t, 12, 3), abs=6e-4)
    assert setting.still(shot, 0.0).place.sea.surface == pytest.approx(2.0)
    flat = setting.place.model_copy(update={"sea": Sea(level=0.5)})
    assert evaluate(Setting(flat, setting.ground), shot, 3.0).place.sea is flat.sea


# -- shore ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("height", "period", "slope"), [(4.0, 11.0, 0.1), (1.0, 6.0, 0.04), (2.5, 9.0, 0.2)])
def test_run_up_against_py_wave_runups_stockdon(height: float, period: float, slope: float) -> None:
    # reference: py_wave_runup.models.Stockdon2006, on steep beaches and flat ones
    reference = Stockdon2006(Hs=height, Tp=period, beta=slope)
    assert run_up(height, period, slope) == pytest.approx(float(reference.R2), rel=5e-3)
    assert setup(height, period, slope) == pytest.approx(float(reference.setup), rel=5e-3)
    if height == 4.0:
        assert run_up(height, period, slope) == pytest.approx(2.542, abs=0.005)


def test_run_up_lies_within_the_spread_of_measured_ones() -> None:
    # the 1 390 run-ups of Power et al. 2019 that py_wave_runup ships; Stockdon's own error is about 0.38 m
    table = pd.read_csv(Path(py_wave_runup.__file__).parent / "datasets" / "power18.csv", encoding="utf-8-sig")
    assert len(table) == 1390
    # run-ups of the sea, not of a flume
    field = table[table["Lab/field"] == "F"]
    measured = field["R2% (-SWL) [m]"].to_numpy()
    ours = np.array([run_up(*row) for row in field[["Hs [m]", "Tp [s]", "tanB [-]"]].to_numpy()])
    off = ours - measured
    assert len(field) > 800 and abs(np.median(off)) < 0.4 and np.percentile(np.abs(off), 75) < 1.5
    assert np.corrcoef(ours, measured)[0, 1] > 0.7


def test_wash_runs_up_quickly_back_slowly_and_closes_on_a_loop() -> None:
    # that it comes quickly, stands and goes slowly is practice
    wash = wash_of(SeaState(7.0, 60e3, 14.0, 0.0), 0.06, 3, None)
    t = np.linspace(0, 200 * wash.period, 80000)
    level = np.array([wash.at(float(v), np.zeros(1))[0] for v in t[:4000]])
    step = np.diff(level)
    assert (step > 1e-9).mean() < 0.75 * (step < -1e-9).mean()
    assert level.max() <= wash.highest + 1e-9 and level.min() >= wash.setup - wash.swash / 2 - 1e-9
    closed = wash_of(SeaState(7.0, 60e3, 14.0, 0.0), 0.06, 3, 20.0)
    assert closed.at(20.0, np.zeros(1)) == pytest.approx(closed.at(0.0, np.zeros(1)), abs=1e-9)
    assert closed.waves * closed.period == pytest.approx(20.0)


# -- floating -------------------------------------------------------------------------------------------------

BOAT = Hull(4.0, 1.4, 0.18)


def test_long_waves_carry_a_hull_and_short_ones_do_not() -> None:
    # the limits: heave 1, pitch and roll the wave's slope; and nothing
    long = 2 * np.pi / np.array([400.0])
    told = answer(BOAT, long, 0 * long, dispersion(long, 100.0))
    assert told.heave[0] == pytest.approx(1.0, abs=0.02) and told.pitch[0] == pytest.approx(1.0, abs=0.02)
    beam = answer(BOAT, 0 * long, long, dispersion(long, 100.0))
    assert abs(beam.roll[0]) == pytest.approx(1.0, abs=0.02)
    short = 2 * np.pi / np.array([0.5])
    told = answer(BOAT, short, 0 * short, dispersion(short, 100.0))
    assert abs(told.heave[0]) < 0.03 and abs(told.pitch[0]) < 0.1


def test_roll_is_strongest_at_its_own_period() -> None:
    # 2 pi k / sqrt(g GM); GM of a box: KB + B^2 / 12 T - KG (any text on ship stability)
    gm = 0.09 + 1.4**2 / (12 * 0.18) - 0.9 * 0.18
    assert BOAT.stability == pytest.approx(gm)
    assert BOAT.roll_period == pytest.approx(2 * np.pi * 0.4 * 1.4 / np.sqrt(9.81 * gm))
    wide = Hull(30.0, 9.0, 2.0)
    omega = np.linspace(0.3, 2.5, 800)
    told = answer(wide, np.zeros(800), np.full(800, 1e-3), omega)
    assert omega[np.abs(told.roll).argmax()] == pytest.approx(2 * np.pi / wide.roll_period, rel=0.03)


def test_one_long_wave_lifts_the_bow_before_its_crest_and_leans_away_from_it() -> None:
    k = 2 * np.pi / 80.0
    wave = (np.array([0.5 + 0j]), np.array([0.0]), np.array([k]), np.array([float(dispersion(k, 100.0))]))
    quarter = 2 * np.pi / wave[3][0] / 4
    # it runs north: a quarter before the crest comes the surface rises to the south, and a boat that heads north has
    # its bow down
    ridden = Afloat(wave, BOAT, (0.0, 0.0), 0.0).ride(np.zeros(2), np.array([0.0, -quarter]))
    assert ridden.up[0] == pytest.approx(0.5, rel=0.02) and ridden.up[1] == pytest.approx(0.0, abs=0.02)
    assert ridden.pitch[0] == pytest.approx(0.0, abs=1e-3) and ridden.pitch[1] == pytest.approx(-0.5 * k, rel=0.03)
    # heading east, the south is to its right: its right side is up then
    beam = Afloat(wave, BOAT, (0.0, 0.0), 0.0).ride(np.full(1, np.pi / 2), np.array([-quarter]))
    assert beam.roll[0] == pytest.approx(-0.5 * k, rel=0.1)


def afloat(**more: object) -> tuple[Setting, object]:
    box = Shape(kind="box", width=1.2, depth=3.0, height=0.6)
    things = [Thing(id="raft", name="Raft", shape=box, floats=True, up=0.1, **more)]
    shot = small_place().shots[0].model_copy(update={"frames": 120, "loop": True})
    place = small_place(things=things, growth=[], shots=[shot], sea=Sea(level=1.0, wind_speed=8.0, fetch_km=50.0))
    return Setting(place, Ground(np.full((65, 65), -12.0, np.float32), 4.0, -128.0, -128.0)), shot


def test_a_float_rides_its_sea_closes_its_loop_and_lies_still_aground() -> None:
    setting, shot = afloat()

    def at(t: float, setting: Setting = setting) -> np.ndarray:
        return evaluate(setting, shot, t).stood["raft"][0]

    heights = np.array([at(t)[2, 3] for t in np.linspace(0, 5, 41)])
    assert heights.std() > 0.05 and heights.mean() == pytest.approx(1.1, abs=0.4)
    waves = swells(sea_state(setting.place.sea), setting.place.sea.seed, shot.seconds)
    # so long a wave as the sea's carries the raft with it: its height is nearly the surface's
    crest = heights_at(waves, *np.zeros((2, 41)), np.linspace(0, 5, 41), 0.995)
    assert np.corrcoef(heights, crest)[0, 1] > 0.95
    assert at(5.0) == pytest.approx(at(0.0), abs=1e-6)
    shallow = Setting(setting.place, Ground(np.full((65, 65), 2.0, np.float32), 4.0, -128.0, -128.0))
    assert at(1.0, shallow) == pytest.approx(at(3.0, shallow))
    assert at(1.0, shallow)[2, 3] > 2.0


def test_what_floats_can_be_carried_along_with_and_not_roll() -> None:
    setting, _ = afloat()
    with pytest.raises(PlaceError, match="cannot both float and roll"):
        apply(setting.place, command({"op": "set", "path": "/things/raft/rolls", "value": True}))
    copied = {"op": "set", "path": "/things/raft/copies", "value": Copies(count=3, step=4.0).model_dump()}
    place, _ = apply(setting.place, command(copied))
    assert len(evaluate(Setting(place, setting.ground), place.shots[0], 0.5).stood["raft"]) == 3
