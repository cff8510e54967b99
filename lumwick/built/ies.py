"""How a lamp spreads its light, from an IES file: candelas by angle.

References
----------
IES LM-63-2002 (ANSI), Standard file format for the electronic transfer of photometric data: its keywords, tilt,
counts, angles and candelas; type C photometry (angles from straight down, and about that).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lumwick.errors import PlaceError

CELLS = 256
"""Rows and columns of a table for the kernel."""
ANGLES_AT_MOST = 2000
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Distribution:
    """Intensities of a luminaire.

    Attributes
    ----------
    down : ndarray, shape (n,) [degrees]
        From where it shines: 0 is straight ahead, 180 behind.
    around : ndarray, shape (m,) [degrees]
        About that, from 0 to 360; one for a luminaire that is the same all round.
    candelas : ndarray, shape (m, n)
    """

    down: Floats
    around: Floats
    candelas: Floats

    def at(self, down: Floats, around: Floats) -> Floats:
        """Intensities [cd] at angles [degrees]; none where the file tells none."""
        k = np.interp(down, self.down, np.arange(len(self.down)), left=-1, right=-1)
        if len(self.around) == 1:
            rows = np.zeros_like(k)
        else:
            rows = np.interp(np.mod(around, 360), self.around, np.arange(len(self.around)))
        i, j = np.minimum(rows.astype(int), len(self.around) - 1), np.clip(k.astype(int), 0, len(self.down) - 1)
        i2, j2 = np.minimum(i + 1, len(self.around) - 1), np.minimum(j + 1, len(self.down) - 1)
        s, t, c = rows - i, np.maximum(k, 0) - j, self.candelas
        out = (1 - s) * ((1 - t) * c[i, j] + t * c[i, j2]) + s * ((1 - t) * c[i2, j] + t * c[i2, j2])
        return np.where(k < 0, 0.0, out)

    def lumens(self) -> float:
        """All of its light [lm]: its candelas over the sphere."""
        down = (np.arange(1440) + 0.5) / 8
        around = np.arange(360) + 0.5
        c = self.at(*np.meshgrid(down, around))
        return float((c.mean(0) * np.sin(np.radians(down))).sum() * 2 * np.pi * np.radians(1 / 8))

    def table(self) -> NDArray[np.float32]:
        """For the kernel, shape (CELLS, CELLS, 3): rows from ahead to behind, columns about; its mean over the sphere
        is 1."""
        down, around = np.linspace(0, 180, CELLS), np.arange(CELLS) * 360 / CELLS
        c = self.at(*np.meshgrid(down, around)).T
        mean = self.lumens() / (4 * np.pi)
        return np.repeat((c / mean)[..., None], 3, 2).astype(np.float32)


def _wrong(name: str, why: str) -> PlaceError:
    return PlaceError(f"{name} cannot be used as a lamp's light: {why}.")


@lru_cache(16)
def read_ies(data: bytes, name: str) -> Distribution:
    """A luminaire's light from an IES file's bytes.

    Raises
    ------
    PlaceError
        It is none, its counts do not fit, or it is of another type than C.
    """
    lines = data.decode("latin-1").replace("\r", "\n").split("\n")
    tilt = next((k for k, line in enumerate(lines) if line.strip().upper().startswith("TILT=")), None)
    if tilt is None:
        raise _wrong(name, "it is no IES file: it has no line TILT=")
    how = lines[tilt].split("=", 1)[1].strip().upper()
    try:
        numbers = [float(v) for line in lines[tilt + 1 :] for v in line.replace(",", " ").split()]
    except ValueError:
        raise _wrong(name, "there are letters among its numbers") from None
    if not np.isfinite(numbers).all():
        raise _wrong(name, "it has numbers that are infinite or none")
    if how == "INCLUDE":
        pairs = int(numbers[1]) if len(numbers) > 1 else 0
        numbers = numbers[2 + 2 * pairs :]  # by how a lamp burns when it hangs aslant: not taken into account
    elif how != "NONE":
        raise _wrong(name, "its tilt lies in another file")
    if len(numbers) < 13:
        raise _wrong(name, "it ends before its counts")
    times, n, m, kind = numbers[2], int(numbers[3]), int(numbers[4]), int(numbers[5])
    times *= numbers[10] * (numbers[11] or 1.0)  # of the ballast; the last is kept for later use by the standard
    if kind != 1:
        raise _wrong(name, "it is of type A or B; only type C is read")
    if not (0 < n <= ANGLES_AT_MOST and 0 < m <= ANGLES_AT_MOST):
        raise _wrong(name, f"it tells {n} by {m} angles")
    rest = np.array(numbers[13:])
    if len(rest) < n + m + n * m:
        raise _wrong(name, f"it tells {n} by {m} angles, {n + m + n * m} numbers, and has {len(rest)}")
    down, around = rest[:n], rest[n : n + m]
    candelas = rest[n + m : n + m + n * m].reshape(m, n) * times
    if (np.diff(down) <= 0).any() or (np.diff(around) <= 0).any():
        raise _wrong(name, "its angles are out of order")
    if (candelas < 0).any() or not candelas.any():
        raise _wrong(name, "its candelas are less than nothing, or all nothing")
    return Distribution(down, *_all_round(around, candelas, name))


def _all_round(around: Floats, candelas: Floats, name: str) -> tuple[Floats, Floats]:
    """Angles about it from 0 to 360 and their rows, from those of a half or a quarter."""
    last = float(around[-1])
    if len(around) == 1:
        return np.zeros(1), candelas
    if around[0] != 0 and not (around[0] == 90 and last == 270):
        raise _wrong(name, f"its angles go from {around[0]:g} to {last:g} degrees")
    if around[0] == 90:  # the same on both sides of 90 to 270
        low = around <= 180
        first = (
            np.concatenate([180 - around[low][::-1], around[low][1:]]),
            np.concatenate([candelas[low][::-1], candelas[low][1:]]),
        )
        high = around > 180
        second = around[high], candelas[high]
        back = 540 - around[high][:-1][::-1], candelas[high][:-1][::-1]
        turn = np.concatenate([first[0], second[0], back[0]])
        return turn, np.concatenate([first[1], second[1], back[1]])
    if last == 90:
        around = np.concatenate([around, 180 - around[-2::-1]])
        candelas = np.concatenate([candelas, candelas[-2::-1]])
        last = 180.0
    if last == 180:
        around = np.concatenate([around, 360 - around[-2::-1]])
        candelas = np.concatenate([candelas, candelas[-2::-1]])
    elif last < 360:
        around = np.concatenate([around, [360.0]])
        candelas = np.concatenate([candelas, candelas[:1]])
    return around, candelas
