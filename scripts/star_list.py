"""Make lumwick/air/stars/ anew from the npm package d3-celestial (BSD-3): `python scripts/star_list.py PACKAGE`.

PACKAGE is its unpacked folder. Bright stars to the sixth magnitude by their Hipparcos numbers, and the outlines of the
galaxy's band, five levels of brightness within each other, drawn into a small map.
"""

from __future__ import annotations

import json
import shutil
import sys
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw
from scipy import ndimage

TO = Path(__file__).resolve().parent.parent / "lumwick" / "air" / "stars"
ROWS, COLUMNS, FINER = 180, 360, 4
LEVELS = ("ol1", "ol2", "ol3", "ol4", "ol5")
SOFT = (3.2, 2.2, 1.4, 1.0, 0.8)
"""Degrees over which each level goes over into the next."""


def stars(package: Path) -> str:
    """Lines of number, right ascension and declination (J2000) [degrees], magnitude, and colour index B-V."""
    told = json.loads((package / "data" / "stars.6.json").read_text())["features"]
    rows = ["hip,ra,dec,magnitude,colour"]
    for one in told:
        (ra, dec), about = one["geometry"]["coordinates"], one["properties"]
        rows.append(f"{one['id']},{ra % 360:.4f},{dec:.4f},{float(about['mag']):.2f},{float(about['bv'] or 0.6):.2f}")
    return "\n".join(rows) + "\n"


def galaxy(package: Path) -> Image.Image:
    """Its brightness by declination (rows, from the north) and right ascension (columns, from 0)."""
    told = {one["id"]: one for one in json.loads((package / "data" / "mw.json").read_text())["features"]}
    total = np.zeros((ROWS * FINER, COLUMNS * FINER))
    for name, wide in zip(LEVELS, SOFT, strict=True):
        inside = np.zeros(total.shape, bool)
        for ring in (ring for polygon in told[name]["geometry"]["coordinates"] for ring in polygon):
            at = np.array(ring)
            x = np.unwrap(np.radians(at[:, 0])) / (2 * np.pi) * COLUMNS * FINER
            y = (90 - at[:, 1]) * FINER
            if round((x[-1] - x[0]) / (COLUMNS * FINER)):  # once round the sphere: all that lies north of it
                x, y = np.append(x, [x[-1], x[0]]), np.append(y, [0.0, 0.0])
            level = Image.new("L", (COLUMNS * FINER, ROWS * FINER))
            for shift in (-2, -1, 0, 1, 2):
                spots = list(zip((x + shift * COLUMNS * FINER).tolist(), y.tolist(), strict=True))
                ImageDraw.Draw(level).polygon(spots, fill=1)
            inside ^= np.asarray(level) > 0  # rings within rings are gaps
        total += ndimage.gaussian_filter(inside.astype(float), wide * FINER, mode=("nearest", "wrap"))
    small = total.reshape(ROWS, FINER, COLUMNS, FINER).mean((1, 3)) / len(LEVELS)
    return Image.fromarray(np.round(255 * small).astype(np.uint8))


def main() -> None:
    package = Path(sys.argv[1])
    TO.mkdir(exist_ok=True)
    (TO / "stars.csv").write_text(stars(package))
    galaxy(package).save(TO / "galaxy.png", optimize=True)
    shutil.copy(package / "LICENSE", TO / "LICENSE")


if __name__ == "__main__":
    main()
