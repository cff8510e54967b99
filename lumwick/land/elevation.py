"""Elevation files in: GeoTIFF, ESRI ASCII grid and 16-bit PNG become ground on a metric grid."""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import rasterio
from numpy.typing import NDArray
from pyproj import CRS, Transformer
from rasterio.enums import Resampling
from rasterio.errors import NotGeoreferencedWarning, RasterioError
from rasterio.fill import fillnodata
from rasterio.transform import Affine, from_origin
from rasterio.warp import reproject
from scipy.ndimage import gaussian_filter, median_filter, zoom

from lumwick.errors import LandError
from lumwick.land.ground import Ground, check_heights

BYTES_AT_MOST = 400_000_000
SIDE_AT_MOST = 20_000
POINTS_AT_MOST = 1_000_000_000
"""Of a file that is averaged down."""
BLOCK_AT_MOST = 256_000_000
"""Bytes that a piece of a file takes which is unpacked at once."""
PACKED_AT_MOST = 1000
"""By how much heights may be packed: a file that says it holds more for its size holds nothing."""
DRIVERS = {"tiff": "GTiff", "grid": "AAIGrid", "png": "PNG"}
"""Who reads a kind of file: no other is asked, for some of them read whatever file a few words name."""
GROUND_AT_MOST = 4097
"""Points a side of a ground that a place keeps."""
LOWEST, HIGHEST = -12_000.0, 9_500.0
"""Metres beyond which a number is no height on the earth but a mark for none."""
POINTS_A_SIDE = 1025
"""Ground is filmed on a grid of at most this many points a side; a finer survey is averaged down to it."""


@dataclass(frozen=True)
class Survey:
    """Ground from a file, and where on the earth its middle lies (None if the file does not say)."""

    ground: Ground
    latitude: float | None
    longitude: float | None
    note: str = ""


def _sniff(path: Path) -> str:
    head = path.open("rb").read(512)
    if not head:
        raise LandError(f"{path.name} is empty: export the elevation again.")
    if head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return "tiff"
    if head[:8] == b"\x89PNG\r\n\x1a\n":
        return "png"
    if head[:5].lower() == b"ncols" or head.lstrip()[:5].lower() == b"ncols":
        return "grid"
    raise LandError(
        f"{path.name} is not an elevation file that can be read: bring a "
        "GeoTIFF, an ESRI ASCII grid (.asc) or a 16-bit PNG."
    )


def too_large(name: str, size: int) -> str:
    """What is said of a file of ``size`` bytes that is not to be read whole."""
    return (
        f"{name} is {size / 1e6:.0f} MB: at most {BYTES_AT_MOST / 1e6:.0f} MB are read whole. "
        "Tick 'reduce' (--reduce) to average it down, or cut out the part you film."
    )


@dataclass(frozen=True)
class _Band:
    """Heights as they stand in a file: rows from its top (not a number where none are known), how a point's column and
    row become coordinates, and in which reference."""

    z: NDArray[np.float32]
    transform: Affine
    crs: CRS | None


def _check_source(source: rasterio.DatasetReader, path: Path, kind: str, reduce: bool) -> None:
    """Refuse what cannot be heights, or is too large or too small."""
    name, points = path.name, source.width * source.height
    block = max(h * w for h, w in source.block_shapes) * np.dtype(source.dtypes[0]).itemsize
    if source.interleaving is not None and source.interleaving.value == "PIXEL":
        block *= source.count
    if points > POINTS_AT_MOST or block > BLOCK_AT_MOST:
        raise LandError(
            f"{name} has {source.width:,} by {source.height:,} points, more than can be read even to average them "
            "down: cut out the part you film, or save it in tiles."
        )
    if points * np.dtype(source.dtypes[0]).itemsize > PACKED_AT_MOST * path.stat().st_size:
        raise LandError(f"{name} says that it holds {points:,} points, and holds next to nothing: export it again.")
    if max(source.width, source.height) > SIDE_AT_MOST and not reduce:
        raise LandError(
            f"{name} has {source.width} by {source.height} points: at most "
            f"{SIDE_AT_MOST} a side. Tick 'reduce' (--reduce) to average it down."
        )
    if source.width < 4 or source.height < 4:
        raise LandError(f"{name} has only {source.width} by {source.height} points: at least 4 a side are needed.")
    if kind == "png" and source.count > 2:
        raise LandError(f"{name} is a colour picture: heights are read from a 16-bit greyscale PNG.")
    if kind == "png" and source.dtypes[0] != "uint16":
        raise LandError(f"{name} has 8 bits a point, which makes steps in the ground: save it with 16 bits.")


def _read_band(path: Path, kind: str, reduce: bool) -> _Band:
    """A file's heights, averaged down to twice what is filmed."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", NotGeoreferencedWarning)
            with rasterio.open(path, driver=DRIVERS[kind]) as source:
                _check_source(source, path, kind, reduce)
                factor = max(1, int(np.ceil(max(source.width, source.height) / (2 * POINTS_A_SIDE))))
                shape = (max(4, source.height // factor), max(4, source.width // factor))
                how = Resampling.average if factor > 1 else Resampling.nearest
                band = source.read(1, masked=True, out_shape=shape, resampling=how)
                transform = source.transform @ Affine.scale(source.width / shape[1], source.height / shape[0])
                crs = CRS.from_user_input(source.crs) if source.crs else None
    except (RasterioError, OSError, ValueError, TypeError, MemoryError) as error:
        raise LandError(
            f"{path.name} cannot be read: it is cut short or damaged ({str(error).splitlines()[0][:120]})."
        ) from error
    z = np.ma.filled(band.astype(np.float32), np.nan)
    if kind != "png":
        z[(z < LOWEST) | (z > HIGHEST)] = np.nan
    return _Band(z, transform, crs)


def _filled(z: NDArray[np.float32]) -> NDArray[np.float32]:
    """Heights with those that are not known filled in from about them."""
    known = np.isfinite(z)
    if known.all():
        return z
    near = fillnodata(
        np.where(known, z, 0).astype(np.float32), mask=known.astype(np.uint8), max_search_distance=max(z.shape)
    )
    return np.where(np.isfinite(near), near, np.nanmean(z)).astype(np.float32)


def _from_codes(
    z: NDArray[np.float32], size_m: float | None, lowest: float | None, highest: float | None
) -> NDArray[np.float32]:
    """Heights from a PNG's 16-bit codes."""
    if lowest is None or highest is None or size_m is None:
        raise LandError("A PNG says nothing of metres: give its size, and the heights of black and white.")
    if highest <= lowest:
        raise LandError("The height of white must be above the height of black.")
    return (lowest + (highest - lowest) * z / 65535.0).astype(np.float32)


def _in_degrees(transform: Affine) -> bool:
    """Whether a grid's numbers look like longitudes and latitudes."""
    return bool(abs(transform.a) < 0.1 and abs(transform.c) <= 360 and abs(transform.f) <= 90)


def read_elevation(
    path: str | Path,
    *,
    size_m: float | None = None,
    lowest: float | None = None,
    highest: float | None = None,
    reduce: bool = False,
    latitude: float | None = None,
    longitude: float | None = None,
) -> Survey:
    """Read an elevation file.

    Parameters
    ----------
    path : path
        GeoTIFF in any projected or geographic reference, ESRI ASCII grid (reference from a .prj beside it, or
        degrees if its numbers are), or 16-bit greyscale PNG.
    size_m : float [m]
        East-west size, needed for a PNG and for a file without a reference.
    lowest, highest : float [m]
        Heights of black and white of a PNG.
    reduce : bool
        Average down a file of more than 400 MB or 20 000 points a side instead of refusing it.
    latitude, longitude : float [degrees]
        Where the middle lies, if the file does not say.

    Raises
    ------
    LandError
        The file cannot be used; the text says what is wrong and what would be right.
    """
    path = Path(path)
    if not path.is_file():
        raise LandError(f"There is no file {path.name}.")
    if path.stat().st_size > BYTES_AT_MOST and not reduce:
        raise LandError(too_large(path.name, path.stat().st_size))
    kind = _sniff(path)
    band = _read_band(path, kind, reduce)
    z, transform, crs = band.z, band.transform, band.crs
    if not np.isfinite(z).any():
        raise LandError(f"{path.name} holds no heights at all: every point is marked as no data.")
    if kind == "png":
        z, crs = _from_codes(z, size_m, lowest, highest), None
    notes: list[str] = []
    holes = float((~np.isfinite(z)).mean())
    if holes > 0:
        notes.append(f"{max(holes, 1e-4):.2%} of it held no heights and was filled in from about them")
    z = _without_peaks(_filled(z), notes)
    _say_if_level(z, kind, notes)
    survey = _surveyed(path.name, _Band(z, transform, crs), kind, size_m, latitude, longitude)
    return replace(survey, note=" ".join([*(f"{word[0].upper()}{word[1:]}." for word in notes), survey.note]).strip())


PEAK, PEAK_TIMES, PEAKS_AT_MOST = 100.0, 40.0, 1e-3
"""By how much a single point stands out of those about it [m], and times as much as others do, to be damage; and the
share of points that may (practice: a turned bit makes thousands of metres)."""


def _without_peaks(z: NDArray[np.float32], notes: list[str]) -> NDArray[np.float32]:
    """Heights without single points that stand far out of all about them."""
    middle = median_filter(z, 3, mode="nearest")
    off = np.abs(z - middle)
    peaks = (off > PEAK) & (off > PEAK_TIMES * max(float(np.mean(off)), 0.5))
    if not peaks.any() or peaks.mean() > PEAKS_AT_MOST:
        return z
    worst = float(z[peaks][np.argmax(off[peaks])])
    many = int(peaks.sum())
    notes.append(
        f"{many} point{'' if many == 1 else 's'} stood far out alone ({worst:,.0f} m): taken from about instead"
    )
    return np.where(peaks, middle, z).astype(np.float32)


LEVEL = 0.1
"""Share of a survey's points at one height from which that may be water (practice)."""


def _say_if_level(z: NDArray[np.float32], kind: str, notes: list[str]) -> None:
    """Note a height at which a good part of a survey lies: a sea or a lake, as surveys fill them in."""
    if kind == "png":
        return
    heights, counts = np.unique(np.round(z, 2), return_counts=True)
    share = float(counts.max()) / z.size
    if share >= LEVEL and len(heights) > 1:
        at = float(heights[np.argmax(counts)])
        notes.append(f"{share:.0%} of it lies at {at:g} m: if that is water, give {at:g} as the level of the sea")


def _surveyed(
    name: str, band: _Band, kind: str, size_m: float | None, latitude: float | None, longitude: float | None
) -> Survey:
    """Ground of heights that are all there."""
    z, transform, crs = band.z, band.transform, band.crs
    if crs is None and kind == "grid" and _in_degrees(transform):
        crs = CRS.from_epsg(4326)
    if crs is not None:
        return _projected(z, transform, crs)
    if size_m is None and kind == "grid":
        size_m = abs(transform.a) * (z.shape[1] - 1)
    return _plain(name, z, size_m, latitude, longitude)


def _plain(
    name: str, z: NDArray[np.float32], size_m: float | None, latitude: float | None, longitude: float | None
) -> Survey:
    """Ground of a file without a reference, its rows from the top."""
    if size_m is None:
        raise LandError(
            f"{name} does not say where on the earth it lies, nor how large it is: give its east-west size in metres."
        )
    if not 10 <= size_m <= 500_000:
        raise LandError(f"A ground {size_m:g} m across cannot be made: give a size from 10 m to 500 km.")
    ground = _fit(z[::-1], size_m / (z.shape[1] - 1))
    note = "The file does not say where on the earth it lies: set its latitude and longitude for the sun."
    return Survey(ground, latitude, longitude, "" if latitude is not None else note)


def _fit(z: NDArray[np.float32], spacing: float) -> Ground:
    """Average a grid down to the size that is filmed, and centre it."""
    most = max(z.shape)
    if most > POINTS_A_SIDE:
        k = (POINTS_A_SIDE - 1) / (most - 1)
        z = zoom(
            gaussian_filter(z, 0.45 / k),
            ((round((z.shape[0] - 1) * k) + 1) / z.shape[0], (round((z.shape[1] - 1) * k) + 1) / z.shape[1]),
            order=1,
            grid_mode=False,
            mode="nearest",
        )
        spacing /= k
    z = np.ascontiguousarray(z, np.float32)
    check_heights(z)
    return Ground(z, float(spacing), -(z.shape[1] - 1) * spacing / 2, -(z.shape[0] - 1) * spacing / 2)


def _projected(z: NDArray[np.float32], transform: Affine, crs: CRS) -> Survey:
    rows, cols = z.shape
    mid = transform @ (cols / 2, rows / 2)
    to_degrees = Transformer.from_crs(crs, CRS.from_epsg(4326), always_xy=True)
    longitude, latitude = to_degrees.transform(*mid)
    if not (np.isfinite(latitude) and np.isfinite(longitude) and abs(latitude) <= 90):
        raise LandError("The file's reference puts it nowhere on the earth: check its coordinate system.")
    # metres about the middle, true north up there
    local = CRS.from_proj4(
        f"+proj=tmerc +lat_0={latitude:.9f} +lon_0={longitude:.9f} +k=1 +x_0=0 +y_0=0 +datum=WGS84 +units=m"
    )
    to_local = Transformer.from_crs(crs, local, always_xy=True)
    edge = np.array(
        [
            transform @ p
            for k in np.linspace(0, 1, 21)
            for p in ((k * cols, 0), (k * cols, rows), (0, k * rows), (cols, k * rows))
        ]
    )
    ex, ey = to_local.transform(edge[:, 0], edge[:, 1])
    if not (np.isfinite(ex).all() and np.isfinite(ey).all()):
        raise LandError("The file reaches further round the earth than one place can: cut out the part you film.")
    near = np.array([transform @ p for p in ((cols / 2, rows / 2), (cols / 2 + 1, rows / 2), (cols / 2, rows / 2 + 1))])
    nx, ny = to_local.transform(near[:, 0], near[:, 1])
    step = float(np.sqrt(np.hypot(nx[1] - nx[0], ny[1] - ny[0]) * np.hypot(nx[2] - nx[0], ny[2] - ny[0])))
    west, east, south, north = ex.min(), ex.max(), ey.min(), ey.max()
    if max(east - west, north - south) > 500_000:
        raise LandError(
            f"The file covers {max(east - west, north - south) / 1000:.0f} km: a "
            "place may be at most 500 km across. Cut out the part you film."
        )
    spacing = max(step, (east - west) / (POINTS_A_SIDE - 1), (north - south) / (POINTS_A_SIDE - 1))
    nxp, nyp = max(4, round((east - west) / spacing)), max(4, round((north - south) / spacing))
    out = np.full((nyp, nxp), np.nan, np.float32)
    reproject(
        z,
        out,
        src_transform=transform,
        src_crs=crs.to_wkt(),
        dst_transform=from_origin(west, north, spacing, spacing),
        dst_crs=local.to_wkt(),
        resampling=Resampling.bilinear if spacing < 1.5 * step else Resampling.average,
        src_nodata=np.nan,
        dst_nodata=np.nan,
    )
    if not np.isfinite(out).any():
        raise LandError("No heights were left after turning the file to a metric grid: check its coordinate system.")
    out = _filled(out)
    check_heights(out)
    ground = Ground(np.ascontiguousarray(out[::-1]), float(spacing), west + spacing / 2, south + spacing / 2)
    return Survey(ground, float(latitude), float(longitude))


def write_elevation(ground: Ground) -> bytes:
    """A ground as a GeoTIFF of float32 heights on its own metric grid (deflated, bytes the same every time)."""
    ny, nx = ground.heights.shape
    buffer = io.BytesIO()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", NotGeoreferencedWarning)
        with rasterio.MemoryFile() as memory:
            with memory.open(
                driver="GTiff",
                height=ny,
                width=nx,
                count=1,
                dtype="float32",
                compress="deflate",
                predictor=3,
                transform=from_origin(
                    ground.west - ground.spacing / 2,
                    ground.south + (ny - 0.5) * ground.spacing,
                    ground.spacing,
                    ground.spacing,
                ),
            ) as out:
                out.write(ground.heights[::-1], 1)
            buffer.write(memory.read())
    return buffer.getvalue()


def read_ground(data: bytes) -> Ground:
    """The ground in a GeoTIFF that `write_elevation` made.

    Raises
    ------
    LandError
        The bytes are not such a file.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", NotGeoreferencedWarning)
            with rasterio.MemoryFile(data) as memory, memory.open(driver=DRIVERS["tiff"]) as source:
                if max(source.width, source.height) > GROUND_AT_MOST or source.count != 1:
                    raise LandError("The place's elevation asset cannot be used: it is larger than any ground we keep.")
                z, t = source.read(1), source.transform
    except (RasterioError, OSError, ValueError, MemoryError) as error:
        raise LandError("The place's elevation asset cannot be read: it is damaged.") from error
    ground = Ground(
        np.ascontiguousarray(z[::-1], np.float32),
        float(t.a),
        float(t.c + t.a / 2),
        float(t.f + t.e * (z.shape[0] - 0.5)),
    )
    check_heights(ground.heights)
    return ground


def moved(ground: Ground, up: float) -> Ground:
    """The same ground with another datum."""
    return replace(ground, heights=(ground.heights + np.float32(up)))
