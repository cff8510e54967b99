"""What tests of all parts share."""

from __future__ import annotations

import ctypes
import gc
import os
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")

from lumwick.land.ground import Ground
from lumwick.land.starters import saltmarsh
from lumwick.place.document import Place, Shot
from lumwick.place.fields import Asset
from lumwick.place.filming import Clock, Exposure, Route, Station
from lumwick.place.growing import Stand
from lumwick.place.nature import Land, Sea
from lumwick.snapshot.evaluate import Setting

LARGE = 1_500_000_000
"""Bytes over which a test process gives back what it no longer uses."""


@pytest.fixture(autouse=True)
def _memory_given_back() -> Iterator[None]:
    """Stages are large, and hang in circles: they are collected after the test that made them, not some time later, and
    the C library gives their room back to the machine."""
    yield
    held = int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
    if held > LARGE:
        gc.collect()
        ctypes.CDLL("libc.so.6").malloc_trim(0)


@pytest.fixture(scope="session")
def marsh() -> Ground:
    """A small saltmarsh: 97 points a side, 12 m apart."""
    return saltmarsh(97, 12.0)


def small_place(**changes: object) -> Place:
    """A place with a route of three stations, some reeds and pines."""
    base: dict = {
        "name": "Small",
        "land": Land(elevation=Asset(sha256="0" * 64, name="g.tif", bytes=1)),
        "growth": [
            Stand(
                id="pines",
                name="Pines",
                kind="pine",
                area=[(30, 100), (120, 100), (120, 200), (30, 200)],
                per_hectare=60,
                height=9,
            ),
            Stand(
                id="reeds",
                name="Reeds",
                kind="reed",
                area=[(-40, 0), (40, 0), (40, 60), (-40, 60)],
                per_hectare=2000,
                height=1.8,
                highest=3,
            ),
        ],
        "shots": [
            Shot(
                id="a",
                name="A",
                frames=24,
                clock=Clock(start="2026-06-05T10:00"),
                exposure=Exposure(ev100=14.0),
                route=Route(
                    stations=[
                        Station(id="s1", east=-20, north=-20, up=6, aim=(0, 60, 2)),
                        Station(id="s2", east=0, north=-10, up=5, aim=(10, 60, 2)),
                        Station(id="s3", east=30, north=0, up=7, aim=(40, 90, 3)),
                    ]
                ),
            )
        ],
        "sea": Sea(),
    }
    return Place(**{**base, **changes})


@pytest.fixture
def setting(marsh: Ground) -> Setting:
    return Setting(small_place(), marsh)


@pytest.fixture(scope="session")
def sample_elevation() -> dict[str, np.ndarray]:
    """The elevation model of a real fault ridge that matplotlib ships among its sample data."""
    from matplotlib import cbook

    with cbook.get_sample_data("jacksboro_fault_dem.npz") as data:
        return {k: data[k] for k in data.files}


def write_geotiff(
    path: Path,
    z: np.ndarray,
    west: float,
    north: float,
    dx: float,
    dy: float,
    crs: str | None,
    nodata: float | None = None,
) -> Path:
    """Write heights as GeoTIFF; row 0 is the northernmost."""
    import rasterio
    from rasterio.transform import from_origin

    with rasterio.open(
        path,
        "w",
        driver="GTiff",
        height=z.shape[0],
        width=z.shape[1],
        count=1,
        dtype=str(z.dtype),
        crs=crs,
        transform=from_origin(west, north, dx, dy),
        nodata=nodata,
    ) as out:
        out.write(z, 1)
    return path
