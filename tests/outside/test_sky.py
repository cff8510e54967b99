"""The sky's light against published illuminances and colours."""

import colour
import numpy as np
import pvlib
import pytest

from lumwick.air.atmosphere import clear_sky, sky_at, sky_illuminance
from lumwick.air.bands import BAND_RGB_LUX, BANDS_NM, LUMA, rayleigh_optical_depth


def kelvin(rgb: np.ndarray) -> float:
    """Correlated colour temperature (colour-science, McCamy 1992) of linear Rec.709."""
    xyz = colour.RGB_to_XYZ(rgb / max(rgb), "sRGB", apply_cctf_decoding=False)
    return float(colour.temperature.xy_to_CCT_McCamy1992(colour.XYZ_to_xy(xyz)))


def test_rayleigh_optical_depth_at_550_nm() -> None:
    assert rayleigh_optical_depth(550.0) == pytest.approx(0.097, abs=0.001)  # Bodhaine et al. 1999, table 3


def test_bands_are_the_reference_spectrum_seen_by_the_standard_observer() -> None:
    # ASTM G173-03 extraterrestrial spectrum (from pvlib) folded with CIE 1931 (from colour-science)
    spectrum = pvlib.spectrum.get_reference_spectra(standard="ASTM G173-03")["extraterrestrial"]
    lam = np.arange(380, 720.5, 0.5)
    cmfs = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
    y = np.interp(lam, cmfs.wavelengths, cmfs.values[:, 1])
    lux = 683.002 * np.trapezoid(np.interp(lam, spectrum.index.values, spectrum.values) * y, lam)
    assert 128e3 < lux < 134e3
    assert LUMA @ BAND_RGB_LUX.sum(0) == pytest.approx(lux, rel=0.003)
    assert len(BANDS_NM) == 12


def test_high_sun_gives_about_100_klx() -> None:
    sky = clear_sky(
        180.0, 60.0
    )  # guide: high-sun clear-sky horizontal total about 100 klx (handbook value, from memory)
    total = LUMA @ (sky_illuminance(sky) + sky.sun_lux * np.sin(np.radians(60)))
    assert 85e3 < total < 115e3
    assert 0.08 < LUMA @ sky_illuminance(sky) / total < 0.25


def test_dusk_gets_dark_as_it_should() -> None:
    # 732 lx with the sun's middle on the horizon, 453 at sunset and 3.4 at the end of civil twilight (Explanatory
    # Supplement to the Astronomical Almanac, from memory); within a quarter
    for elevation, lux in ((0.0, 732.0), (-0.8, 453.0), (-6.0, 3.4)):
        assert float(LUMA @ sky_illuminance(clear_sky(0.0, elevation))) == pytest.approx(lux, rel=0.25)


def test_colours_of_sun_and_sky() -> None:
    sky = clear_sky(180.0, 60.0)
    assert 5000 < kelvin(sky.sun_lux) < 6000
    assert kelvin(sky_at(sky, 60.0, 120.0)) > 10000
    low = clear_sky(180.0, 4.0)
    assert low.sun_lux[0] > 1.8 * low.sun_lux[1] > 1.8 * low.sun_lux[2]


def test_sky_whitens_to_the_horizon_and_dust_widens_the_aureole() -> None:
    sky = clear_sky(0.0, 30.0)
    high, low = sky_at(sky, 80.0, 90.0), sky_at(sky, 2.0, 90.0)
    assert high[2] / high[0] > 1.5 * low[2] / low[0]
    clean, dusty = clear_sky(0.0, 30.0, haze=0.04), clear_sky(0.0, 30.0, haze=0.4)
    assert sky_at(dusty, 30.0, 10.0) @ LUMA > 3 * sky_at(clean, 30.0, 10.0) @ LUMA


def test_ozone_keeps_twilight_blue() -> None:
    with_it, without = (sky_at(clear_sky(0.0, -4.0, ozone_du=o), 80.0, 90.0) for o in (320.0, 0.0))
    assert with_it[2] / with_it[0] > 1.15 * without[2] / without[0]
