"""Developing: each step does what it says, and does nothing when it is neutral."""

import numpy as np
import pytest

from lumwick.develop.view import (
    balance,
    bloom,
    curved,
    develop,
    graded,
    grained,
    sharpened,
    tabled,
    vignette,
    white_from_grey,
    white_of,
)
from lumwick.errors import RenderError
from lumwick.lens.camera import Camera, incident_illuminance
from lumwick.lens.colour import TO_XYZ
from lumwick.lens.grade import Grade

CAMERA = Camera(np.zeros(3), np.array([0.0, 1.0, 0.0]), ev100=12.0, kelvin=6504.0)


def card(reflectance: float, size: tuple[int, int] = (24, 32)) -> np.ndarray:
    """Radiance of a card lit as a meter asks at the camera's exposure."""
    return np.full((*size, 3), reflectance * incident_illuminance(CAMERA.ev100) / np.pi, np.float32)


def test_the_plain_view_is_the_srgb_curve() -> None:
    # IEC 61966-2-1: 1.055 c^(1/2.4) - 0.055, and 12.92 c below 0.0031308
    for c in (0.001, 0.0031308, 0.02, 0.18, 0.5, 0.9):
        code = 12.92 * c if c <= 0.0031308 else 1.055 * c ** (1 / 2.4) - 0.055
        assert develop(card(c), CAMERA, Grade(view="plain")).mean() == pytest.approx(255 * code, abs=0.75)


def test_the_filmic_view_keeps_grey_grey_and_rolls_highlights_off() -> None:
    grey = develop(card(0.18), CAMERA)
    assert np.ptp(grey.reshape(-1, 3).mean(0)) < 1.0 and 80 < grey.mean() < 125
    bright = [develop(card(c), CAMERA).mean() for c in (0.9, 2.0, 8.0, 100.0)]
    assert bright == sorted(bright) and bright[0] < 235 and bright[-1] > 250


def test_a_neutral_grade_changes_nothing() -> None:
    ramp = card(1.0) * np.linspace(0.01, 2, 32, dtype=np.float32)[None, :, None]
    assert np.array_equal(develop(ramp, CAMERA), develop(ramp, CAMERA, Grade()))
    linear = np.random.default_rng(1).uniform(0.01, 3, (8, 8, 3)).astype(np.float32)
    assert graded(linear, Grade()) == pytest.approx(linear, rel=5e-4)


def test_contrast_turns_about_middle_grey() -> None:
    ramp = np.repeat(np.array([0.045, 0.18, 0.72], np.float32)[None, :, None], 3, 2)
    strong = graded(ramp, Grade(contrast=1.5))[0, :, 1]
    assert strong[1] == pytest.approx(0.18, rel=2e-3) and strong[0] < 0.045 and strong[2] > 0.72
    # the grading curve is logarithmic there: two stops become three
    assert np.log2(strong[2] / strong[1]) == pytest.approx(3.0, abs=0.05)


def test_lift_gamma_and_gain_act_where_they_say() -> None:
    ramp = np.repeat(np.array([0.01, 0.18, 1.0], np.float32)[None, :, None], 3, 2)
    lifted, bent, gained = (
        graded(ramp, g)[0, :, 1] / ramp[0, :, 1] for g in (Grade(lift=0.05), Grade(gamma=1.15), Grade(gain=1.1))
    )
    assert lifted[0] > lifted[1] > lifted[2] > 0.99
    assert bent.min() > 1.05
    assert gained[2] > gained[1] > gained[0] > 1


def test_saturation() -> None:
    red = np.array([[[0.5, 0.1, 0.1]]], np.float32)
    none = graded(red, Grade(saturation=0.0))[0, 0]
    assert np.ptp(none) < 1e-4
    more = graded(red, Grade(saturation=1.4))[0, 0]
    assert more[0] / more[1] > 1.2 * 5


@pytest.mark.parametrize("share", [0.02, 0.3])
def test_bloom_scatters_light_and_loses_none(share: float) -> None:
    image = np.full((90, 160, 3), 0.1, np.float32)
    image[40, 70] = 5000.0
    out = bloom(image, share)
    assert out.sum(dtype=float) == pytest.approx(image.sum(dtype=float), rel=5e-3)
    assert out[40, 70, 0] < image[40, 70, 0] and out[40, 90, 0] > 0.1 and out[40, 90, 0] > out[40, 130, 0]
    assert bloom(np.full((20, 30, 3), 0.4, np.float32), 0.5) == pytest.approx(np.full((20, 30, 3), 0.4), rel=1e-4)


def test_vignette_takes_its_stops_from_the_corners_alone() -> None:
    out = vignette(np.ones((91, 161, 3), np.float32), 1.5)
    assert out[45, 80, 0] == pytest.approx(1.0, abs=1e-3)
    assert np.log2(out[0, 0, 0]) == pytest.approx(-1.5, abs=0.05)


def test_grain_is_seeded_and_moves_from_frame_to_frame() -> None:
    picture = np.full((64, 64, 3), 0.5, np.float32)
    one, again, other = (grained(picture, 0.5, s) for s in (3, 3, 4))
    assert np.array_equal(one, again) and not np.array_equal(one, other)
    assert one.mean() == pytest.approx(0.5, abs=2e-3) and 0.005 < one.std() < 0.05
    assert np.ptp(one - one[..., :1]) < 1e-6  # of brightness, not of colour
    black = grained(np.zeros((64, 64, 3), np.float32), 0.5, 3)
    assert np.abs(black).max() == 0


def test_sharpening_steepens_an_edge_and_leaves_flat_ground() -> None:
    picture = np.full((32, 32, 3), 0.3, np.float32)
    picture[:, 16:] = 0.6
    out = sharpened(picture, 0.8)
    assert out[16, 16, 0] > 0.62 and out[16, 15, 0] < 0.28
    assert out[16, 4, 0] == pytest.approx(0.3, abs=1e-4) and out[16, 28, 0] == pytest.approx(0.6, abs=1e-4)


def test_tint_crosses_the_daylight_locus() -> None:
    def uv(xyz: np.ndarray) -> np.ndarray:
        return np.array([4 * xyz[0], 6 * xyz[1]]) / (xyz[0] + 15 * xyz[1] + 3 * xyz[2])

    base, green = uv(white_of(5600.0)), uv(white_of(5600.0, 10.0))
    assert np.linalg.norm(green - base) == pytest.approx(0.010, rel=1e-6) and green[1] > base[1]
    # a scene under greenish light comes out neutral with the tint, and green without
    light = np.linalg.inv(
        [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]]
    ) @ white_of(5600.0, 10.0)
    scene = card(0.18) * (light / light[1]).astype(np.float32)
    camera = Camera(np.zeros(3), np.array([0.0, 1.0, 0.0]), ev100=12.0, kelvin=5600.0)
    plain = develop(scene, camera, Grade(view="plain")).reshape(-1, 3).mean(0)
    balanced = develop(scene, camera, Grade(view="plain", tint=10.0)).reshape(-1, 3).mean(0)
    assert plain[1] - plain[[0, 2]].mean() > 4 and np.ptp(balanced) < 1.2


def test_the_curve_adds_its_stops_where_they_hold_and_keeps_hues() -> None:
    for stop, name in zip((-6, -3, 0, 3, 6), ("deep", "dark", "middle", "light", "bright"), strict=True):
        grey = np.full((1, 1, 3), 0.18 * 2.0**stop, np.float32)
        bent = curved(grey, Grade(**{"curve_" + name: 0.5}).curve)
        assert np.log2(bent / grey) == pytest.approx(0.5, abs=1e-3)
    warm = np.array([[[0.4, 0.2, 0.1]]], np.float32)
    bent = curved(warm, (0.0, 0.3, -0.2, 0.0, 0.0))
    assert bent / bent[..., :1] == pytest.approx(warm / warm[..., :1], rel=1e-5)
    ramp = card(0.18) * 2.0 ** np.linspace(-7, 7, 32, dtype=np.float32)[None, :, None]
    shaped = develop(ramp, CAMERA, Grade(curve_dark=0.8, curve_light=-0.8))[0, :, 1].astype(int)
    assert (np.diff(shaped) >= -1).all()  # a moderate curve turns nothing over


def cube(function: object, steps: int = 9) -> bytes:
    axis = np.linspace(0, 1, steps)
    rows = [
        f"{r:.6f} {g:.6f} {b:.6f}"
        for b, g, r in ((b, g, r) for b in axis for g in axis for r in axis)
        for r, g, b in [function((r, g, b))]
    ]
    return (f"LUT_3D_SIZE {steps}\n" + "\n".join(rows) + "\n").encode()


def test_a_look_up_table_does_what_its_file_says_by_its_strength() -> None:
    picture = np.random.default_rng(3).uniform(0, 1, (6, 6, 3)).astype(np.float32)
    assert tabled(picture, cube(lambda c: c), 1.0) == pytest.approx(picture, abs=1e-4)
    assert tabled(picture, cube(lambda c: (1 - c[0], 1 - c[1], 1 - c[2])), 1.0) == pytest.approx(1 - picture, abs=1e-4)
    assert tabled(picture, cube(lambda c: (1 - c[0], 1 - c[1], 1 - c[2])), 0.25) == pytest.approx(
        0.75 * picture + 0.25 * (1 - picture), abs=1e-4
    )
    for bad in (b"", b"LUT_3D_SIZE 9\n0 0 0\n", b"\x89PNG"):
        with pytest.raises(RenderError, match=r"no \.cube file"):
            tabled(picture, bad, 1.0)


@pytest.mark.parametrize(("kelvin", "tint"), [(3200.0, 0.0), (4800.0, 8.0), (6504.0, -6.0), (11000.0, 3.0)])
def test_a_picked_grey_gives_the_balance_that_makes_it_neutral(kelvin: float, tint: float) -> None:
    light = np.linalg.inv(TO_XYZ) @ white_of(kelvin, tint) * 40.0
    k, t = white_from_grey(light)
    assert k == pytest.approx(kelvin, rel=0.01) and t == pytest.approx(tint, abs=0.4)
    white = balance(k, t) @ light
    assert white / white[1] == pytest.approx(1.0, abs=4e-3)


def test_what_is_not_grey_is_refused_in_words() -> None:
    with pytest.raises(RenderError, match="no light"):
        white_from_grey(np.zeros(3))
    with pytest.raises(RenderError, match="too coloured"):
        white_from_grey(np.array([0.0, 1.0, 0.0]))


def test_screens_differ_and_each_keeps_black_and_white() -> None:
    ramp = card(1.0) * np.linspace(0, 1, 32, dtype=np.float32)[None, :, None] ** 2
    made = {
        screen: develop(ramp, CAMERA, Grade(view="plain", screen=screen)).astype(int)
        for screen in ("sRGB", "Rec.1886", "Display P3")
    }
    assert abs(made["sRGB"] - made["Rec.1886"]).max() > 4
    for picture in made.values():
        assert picture[:, 0].max() == 0 and picture[:, -1].min() >= 253
