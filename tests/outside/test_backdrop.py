"""The bend of the earth and the flattened sun against handbooks and another library."""

import astronomy
import numpy as np
import pytest

from lumwick.air.sun import flattened
from lumwick.land.ridges import drop


@pytest.mark.parametrize("km", [1.0, 5.0, 20.0, 60.0])
def test_far_things_sink_by_curvature_and_refraction(km: float) -> None:
    # surveyors' combined correction, 0.0673 m for the square of a kilometre (handbooks of levelling, from memory)
    assert drop(np.array(km * 1000)) == pytest.approx(0.0673 * km**2, rel=0.01)


@pytest.mark.parametrize("height", [-0.2, 0.0, 0.5, 2.0, 10.0])
def test_the_sun_is_as_flat_as_refraction_makes_it(height: float) -> None:
    # astronomy-engine's refraction (Meeus's form of Saemundsson's law) of both limbs; ours is Reda and Andreas's
    foot, head = (astronomy.RefractionAngle(astronomy.Refraction.Normal, height + part * 0.2666) for part in (-1, 1))
    assert flattened(height) == pytest.approx(1 - (foot - head) / 0.5332, abs=0.02)


def test_the_sun_is_a_sixth_flatter_as_it_sets() -> None:
    # handbooks: about 5/6 when its lower limb is seen on the horizon, where its middle truly stands 0.3 degree under it
    assert 0.78 < flattened(-0.3) < 0.88
    assert flattened(30.0) == pytest.approx(1.0, abs=0.002)
