"""Develop linear light into a picture.

The order is that of a lens, a film and a print, and is fixed:

1. exposure (EV100) and white balance (kelvin, tint), linear
2. bloom: a share of all light is scattered, so the sum stays what it was
3. vignette
4. contrast about middle grey, gain, lift, gamma, saturation, on the ACEScct grading curve
5. curve: stops added by how bright a point is (linear light, by its brightness, so that hues stay)
6. view: the ACES output transform, or the screen's curve alone
7. look-up table, on the display picture, by its strength
8. sharpen, then grain, on the display picture
9. 8 bits, with ordered rounding

Every step but 1, 6 and 9 is left out when it is neutral.
"""

from __future__ import annotations

import tempfile
from functools import lru_cache

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray
from scipy import ndimage
from scipy.interpolate import PchipInterpolator

from lumwick.errors import RenderError
from lumwick.lens.camera import Camera, exposure_scale
from lumwick.lens.colour import TO_XYZ, daylight_white
from lumwick.lens.grade import Grade

CONFIG = "cg-config-v2.1.0_aces-v1.3_ocio-v2.3"
SCREENS = {"sRGB": "sRGB - Display", "Rec.1886": "Rec.1886 Rec.709 - Display", "Display P3": "Display P3 - Display"}
CURVE_STOPS = (-6.0, -3.0, 0.0, 3.0, 6.0)
"""Where the curve's five values hold [EV from middle grey]."""
LUT_BYTES_AT_MOST = 60_000_000
VIEW = {"filmic": "ACES 1.0 - SDR Video", "plain": "Un-tone-mapped"}
REC709, GRADING = "Linear Rec.709 (sRGB)", "ACEScct"
MIDDLE_GREY = 0.4135884
"""ACEScct code of 18 % grey (Academy S-2016-001)."""
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
D65_KELVIN = 6504.0
BLOOM = ((0.0025, 0.5), (0.011, 0.3), (0.045, 0.2))
"""Widths of the scattered light (standard deviations as shares of the picture's width) and their shares."""

Image = NDArray[np.float32]


@lru_cache(8)
def _processor(source: str, target: str, view: str = "") -> ocio.CPUProcessor:
    config = ocio.Config.CreateFromBuiltinConfig(CONFIG)
    made = (
        config.getProcessor(source, target, view, ocio.TRANSFORM_DIR_FORWARD)
        if view
        else config.getProcessor(source, target)
    )
    return made.getDefaultCPUProcessor()


def _uv(xyz: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(np.array([4 * xyz[0], 6 * xyz[1]]) / (xyz[0] + 15 * xyz[1] + 3 * xyz[2]))


def _across(kelvin: float) -> NDArray[np.float64]:
    """Unit vector across the locus in u v, towards green."""
    along = _uv(daylight_white(kelvin * 1.01)) - _uv(daylight_white(kelvin / 1.01))
    along /= np.linalg.norm(along)
    across = np.array([along[1], -along[0]])
    return np.asarray(across * np.sign(across[1]))


def white_of(kelvin: float, tint: float = 0.0) -> NDArray[np.float64]:
    """XYZ of the white that a balance takes for neutral: on the locus, moved across it by ``tint`` thousandths of u v.

    References
    ----------
    CIE 015: the CIE 1960 uniform chromaticity scale, in which distance from the locus is told.
    """
    white = daylight_white(kelvin)
    if tint == 0:
        return white
    u, v = _uv(white) + _across(kelvin) * tint / 1000.0
    y = 2 * v / (2 * u - 8 * v + 4)
    x = 3 * u / (2 * u - 8 * v + 4)
    return np.array([x / y, 1.0, (1 - x - y) / y])


def balance(kelvin: float, tint: float = 0.0) -> NDArray[np.float64]:
    """Matrix on linear Rec.709 that turns light of ``kelvin`` and ``tint`` into neutral (Bradford adaptation to
    D65)."""
    source, target = BRADFORD @ white_of(kelvin, tint), BRADFORD @ daylight_white(D65_KELVIN)
    adapt = np.linalg.inv(BRADFORD) @ np.diag(target / source) @ BRADFORD
    return np.asarray(np.linalg.inv(TO_XYZ) @ adapt @ TO_XYZ)


def _blurred(image: Image, sigma: float) -> Image:
    """A Gaussian blur that mirrors at the edges, so that it loses no light; wide ones are made on a smaller picture."""
    step = max(1, int(sigma / 2.5))
    if step == 1:
        return np.asarray(ndimage.gaussian_filter(image, (sigma, sigma, 0), mode="reflect"))
    h, w = image.shape[:2]
    padded = np.pad(image, ((0, -h % step), (0, -w % step), (0, 0)), mode="symmetric")
    small = padded.reshape(padded.shape[0] // step, step, padded.shape[1] // step, step, 3).mean(axis=(1, 3))
    small = ndimage.gaussian_filter(small, (sigma / step, sigma / step, 0), mode="reflect")
    y, x = ((np.arange(n) + 0.5) / step - 0.5 for n in (h, w))
    rows = ndimage.map_coordinates(small[..., 0], np.meshgrid(y, x, indexing="ij"), order=1, mode="nearest")
    out = np.empty_like(image)
    out[..., 0] = rows
    for c in (1, 2):
        out[..., c] = ndimage.map_coordinates(small[..., c], np.meshgrid(y, x, indexing="ij"), order=1, mode="nearest")
    return out


def bloom(image: Image, share: float) -> Image:
    """Scatter a share of the light over three widths; the picture's sum is kept."""
    wide = image.shape[1]
    spread = sum(weight * _blurred(image, max(sigma * wide, 0.3)) for sigma, weight in BLOOM)
    return np.asarray((1 - share) * image + share * spread, np.float32)


def vignette(image: Image, stops: float) -> Image:
    """Less light towards the corners, by ``stops`` [EV] in them, as the square of the distance."""
    h, w = image.shape[:2]
    y, x = np.ogrid[0:h, 0:w]
    r2 = ((x + 0.5 - w / 2) ** 2 + (y + 0.5 - h / 2) ** 2) / ((w / 2) ** 2 + (h / 2) ** 2)
    return np.asarray((image * 2.0 ** (-stops * r2[..., None])).astype(np.float32))


def graded(image: Image, grade: Grade) -> Image:
    """Contrast, gain, lift, gamma and saturation on the ACEScct curve; linear Rec.709 in and out."""
    flat = np.array(image.reshape(-1, 3), np.float32)  # a copy: OpenColorIO works in place
    _processor(REC709, GRADING).applyRGB(flat)
    flat = (flat - MIDDLE_GREY) * grade.contrast + MIDDLE_GREY
    flat = flat * grade.gain + grade.lift * (1 - flat)
    if grade.gamma != 1:
        flat = np.asarray(np.sign(flat) * np.abs(flat) ** (1 / grade.gamma), np.float32)
    if grade.saturation != 1:
        grey = (flat @ LUMA)[:, None]
        flat = np.asarray(grey + (flat - grey) * grade.saturation, np.float32)
    flat = np.ascontiguousarray(flat, np.float32)
    _processor(GRADING, REC709).applyRGB(flat)
    return np.maximum(flat, 0).reshape(image.shape)


def curved(image: Image, added: tuple[float, ...]) -> Image:
    """Stops added by brightness, between the curve's points by a monotone cubic (Fritsch and Carlson 1980; PCHIP),
    beyond them as at the ends."""
    grey = np.maximum(image @ LUMA, 1e-8)
    stops = np.clip(np.log2(grey / 0.18), CURVE_STOPS[0], CURVE_STOPS[-1])
    table = np.linspace(CURVE_STOPS[0], CURVE_STOPS[-1], 1025)
    out = np.interp(stops, table, PchipInterpolator(CURVE_STOPS, added)(table))
    return np.asarray(image * (2.0**out)[..., None], np.float32)


@lru_cache(8)
def _table(data: bytes) -> ocio.CPUProcessor:
    if len(data) > LUT_BYTES_AT_MOST:
        raise RenderError("This look-up table is over 60 MB: a .cube of 65 steps a side has about 8.")
    words = _cube(data)
    with tempfile.NamedTemporaryFile(suffix=".cube") as file:
        file.write(words)
        file.flush()
        try:
            made = ocio.Config.CreateRaw().getProcessor(
                ocio.FileTransform(file.name, interpolation=ocio.INTERP_TETRAHEDRAL)
            )
            return made.getDefaultCPUProcessor()
        except (ocio.Exception, UnicodeDecodeError) as error:
            raise RenderError("This look-up table cannot be read: it is no .cube file, or it is cut short.") from error


CUBE_WORDS = (
    "TITLE",
    "LUT_1D_SIZE",
    "LUT_3D_SIZE",
    "DOMAIN_MIN",
    "DOMAIN_MAX",
    "LUT_1D_INPUT_RANGE",
    "LUT_3D_INPUT_RANGE",
)
SIZES_AT_MOST = {"LUT_1D_SIZE": 65536, "LUT_3D_SIZE": 129}


def _cube(data: bytes) -> bytes:
    """A .cube table's lines, and nothing that another reader could take for its own: the library tries all it knows
    on what is no .cube, and some of them read what files a few words name.

    References
    ----------
    Adobe, Cube LUT specification 1.0 (2013): keywords, then rows of three numbers. A table of both kinds, 1D before
    3D, is common practice.
    """
    wrong = RenderError("This look-up table cannot be read: it is no .cube file, or it is cut short.")
    sizes, out, count = {}, [], 0
    try:
        lines = data.decode("utf-8-sig").splitlines()
        for line in lines:
            words = line.split()
            if not words or words[0].startswith("#"):
                continue
            if words[0] in CUBE_WORDS:
                if words[0] in SIZES_AT_MOST:
                    sizes[words[0]] = int(words[1])
                if words[0] != "TITLE":
                    out.append(line)
                continue
            if len(words) != 3 or not np.isfinite([float(word) for word in words]).all():
                raise wrong
            count += 1
            out.append(line)
    except (ValueError, IndexError):
        raise wrong from None
    if not sizes or any(not 2 <= size <= SIZES_AT_MOST[name] for name, size in sizes.items()):
        raise wrong
    if count != sizes.get("LUT_1D_SIZE", 0) + sizes.get("LUT_3D_SIZE", 0) ** 3:
        raise wrong
    return "\n".join([*out, ""]).encode()


def tabled(picture: Image, data: bytes, strength: float) -> Image:
    """A .cube look-up table over the display picture, by its strength.

    Raises
    ------
    RenderError
        It is no table.
    """
    flat = np.array(np.clip(picture, 0, 1).reshape(-1, 3), np.float32)
    _table(data).applyRGB(flat)
    return np.asarray(picture + strength * (flat.reshape(picture.shape) - picture), np.float32)


def white_from_grey(rgb: NDArray[np.float64]) -> tuple[float, float]:
    """The white balance (kelvin, tint) that makes a colour neutral.

    Parameters
    ----------
    rgb : array_like, shape (3,)
        Linear Rec.709 light of something grey, before any balance.

    Raises
    ------
    RenderError
        It is black, or no balance could make it neutral.
    """
    rgb = np.asarray(rgb, float)
    if not np.isfinite(rgb).all() or rgb.max() <= 0:
        raise RenderError("There is no light at this spot: pick something grey that is lit.")
    wanted = _uv(TO_XYZ @ np.maximum(rgb, 0))
    mireds = np.linspace(1e6 / 20000, 1e6 / 2000, 2000)
    locus = np.array([_uv(daylight_white(1e6 / m)) for m in mireds])
    nearest = int(np.argmin(((locus - wanted) ** 2).sum(1)))
    kelvin = float(1e6 / mireds[nearest])
    off = wanted - locus[nearest]
    tint = float(np.hypot(*off) * 1000 * np.sign(_across(kelvin) @ off))
    if abs(tint) > 30:
        raise RenderError(
            "This spot is too coloured to be grey: pick something neutral, like concrete, a white shirt or a cloud."
        )
    return kelvin, tint


def sharpened(picture: Image, amount: float) -> Image:
    """Unsharp masking of the brightness, over seven tenths of a pixel."""
    grey = picture @ LUMA
    return np.asarray(picture + (amount * (grey - ndimage.gaussian_filter(grey, 0.7)))[..., None], np.float32)


def grained(picture: Image, amount: float, seed: int) -> Image:
    """Grain of one pixel's size, strongest in the middle tones; the same for the same seed."""
    rng = np.random.Generator(np.random.Philox(key=[seed, 91]))
    noise = rng.standard_normal(picture.shape[:2], np.float32)
    grey = np.clip(picture @ LUMA, 0, 1)
    return np.asarray(picture + (0.06 * amount * np.sqrt(grey * (1 - 0.8 * grey)) * noise)[..., None])


def develop(
    radiance: NDArray[np.float32], camera: Camera, grade: Grade | None = None, frame: int = 0
) -> NDArray[np.uint8]:
    """A display picture, by the steps in this module's docstring.

    Parameters
    ----------
    radiance : ndarray, shape (height, width, 3) [cd/m2]
    camera : Camera
        Its exposure and white balance.
    frame : int
        Chooses the grain.

    Returns
    -------
    ndarray of uint8, shape (height, width, 3)
        sRGB.
    """
    g = grade or Grade()
    k = exposure_scale(camera.ev100)
    image = (radiance.reshape(-1, 3) @ (balance(camera.kelvin, g.tint) * k).T.astype(np.float32)).astype(np.float32)
    image = np.clip(image, 0, 1e4).reshape(radiance.shape)
    if g.bloom > 0:
        image = bloom(image, g.bloom)
    if g.vignette:
        image = vignette(image, g.vignette)
    if g.graded:
        image = graded(image, g)
    if any(g.curve):
        image = curved(image, g.curve)
    flat = np.ascontiguousarray(image.reshape(-1, 3), np.float32)
    _processor(REC709, SCREENS[g.screen], VIEW[g.view]).applyRGB(flat)
    picture = flat.reshape(radiance.shape)
    if g.lut is not None and g.lut_strength > 0:
        picture = tabled(picture, g.lut, g.lut_strength)
    if g.sharpen:
        picture = sharpened(picture, g.sharpen)
    if g.grain > 0:
        picture = grained(picture, g.grain, frame)
    h, w = len(radiance), len(radiance[0])
    # half a step of fixed dither keeps skies from banding
    order = np.array([[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]]) / 16.0
    dither = np.tile(order, (h // 4 + 1, w // 4 + 1))[:h, :w, None]
    return np.clip(np.floor(picture * 255.0 + dither), 0, 255).astype(np.uint8)
