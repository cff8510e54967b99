"""Growth by Richards' curve, against a plant that was measured."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.optimize import curve_fit

from lumwick.motion.channel import at
from lumwick.motion.recipes import cook, recipe, richards
from lumwick.place.edits import apply, command
from lumwick.place.growing import Stand
from tests.conftest import small_place

# Mean height [cm] of 58 sunflowers by day: H. S. Reed and R. H. Holland, The growth rate of an annual plant Helianthus,
# Proceedings of the National Academy of Sciences 5 (1919); from memory
DAY = np.arange(7, 85, 7)
HEIGHT = np.array([17.93, 36.36, 67.76, 98.1, 131.0, 169.5, 205.5, 228.3, 247.1, 250.5, 253.8, 254.5])


def grown(day: np.ndarray, most: float, starts: float, lasts: float, early: float) -> np.ndarray:
    return most * richards((day - starts) / lasts, early)


def test_sunflowers_grew_by_the_curve() -> None:
    fit, _ = curve_fit(grown, DAY, HEIGHT, (255.0, 0.0, 80.0, 1.0), bounds=([200, -40, 40, 0.3], [300, 10, 140, 3]))
    assert np.abs(grown(DAY, *fit) - HEIGHT).max() < 0.03 * 254.5
    # the authors' own logistic curve: half grown on the 34th day, to 254.5 cm, k = 0.042 to the base of ten
    logistic = 254.5 / (1 + 10 ** (-0.042 * (DAY - 34.2)))
    assert np.abs(grown(DAY, *fit) - logistic).max() < 0.06 * 254.5


@pytest.mark.parametrize("early", [0.05, 0.4, 1.0, 2.5, 4.0])
def test_the_curve_rises_from_nothing_to_the_whole(early: float) -> None:
    share = richards(np.linspace(-0.5, 1.5, 201), early)
    assert share.min() == pytest.approx(0, abs=1e-9) and share.max() == pytest.approx(1, abs=1e-9)
    assert (np.diff(share) >= 0).all()
    # Richards: it grows quickest at (1 + v) to the power -1/v of the whole
    inner = richards(np.linspace(0, 1, 2001), early)
    assert inner[np.diff(inner).argmax()] * 0.98 + 0.01 == pytest.approx((1 + early) ** (-1 / early), abs=0.01)


def test_a_stand_is_keyed_by_the_recipe() -> None:
    channel = cook(1.0, recipe({"kind": "growth", "starts": 1.0, "lasts": 6.0, "early": 1.0}), 12.0, None, False)
    for t in np.linspace(1, 7, 25):
        assert at(channel, float(t)) == pytest.approx(float(richards(np.array([(t - 1) / 6]))[0]), abs=0.012)
    assert at(channel, 0.0) == pytest.approx(0, abs=1e-6) and at(channel, 9.0) == pytest.approx(1, abs=1e-6)
    place = small_place(growth=[Stand(id="s", name="S", kind="oak")])
    made, label = apply(place, command({
        "op": "recipe", "shot": place.shots[0].id, "path": "/growth/s/grown",
        "recipe": {"kind": "growth", "starts": 0.0, "lasts": 4.0}}))  # fmt: skip
    assert label == "grown grows in 4 s" and at(made.growth[0].grown, 2.0) == pytest.approx(0.5, abs=0.01)
