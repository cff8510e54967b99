"""The names of frames' pictures in a store: a hash of exactly what each depends on, the engine included."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

import lumwick
from lumwick.place.document import Shot
from lumwick.place.film import laid_out, parts_at
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.footprint import footprints
from lumwick.trace.quality import QUALITIES


def frame_keys(setting: Setting, shot: Shot, numbers: Sequence[int], size: tuple[int, int], quality: str) -> list[str]:
    """The names of a shot's frames.

    Parameters
    ----------
    numbers : sequence of int
        From 1.
    size : (int, int)
        Width and height of the picture.
    quality : str
        One of `QUALITIES`.
    """
    grade = QUALITIES[quality]
    own = footprints(setting, shot, list(numbers), max(1, min(grade.moments, grade.samples)))
    made = f"{size[0]}x{size[1]}|{grade}|{lumwick.engine_digest()}"
    return [
        hashlib.sha256(f"{one}|{n if grade.vary else 0}|{made}".encode()).hexdigest()
        for n, one in zip(numbers, own, strict=True)
    ]


def film_keys(setting: Setting, size: tuple[int, int], quality: str) -> list[str]:
    """The names of the film's frames: a frame of one shot alone is that shot's own."""
    spliced = laid_out(setting.place)
    own: dict[tuple[str, int], str] = {}
    for piece in spliced:
        numbers = range(piece.first, piece.last + 1)
        keys = frame_keys(setting, piece.shot, numbers, size, quality)
        own |= {(piece.shot.id, n): key for n, key in zip(numbers, keys, strict=True)}
    out = []
    for n in range(1, spliced[-1].ends):
        parts = parts_at(setting.place, n, spliced)
        if len(parts) == 1 and parts[0].share >= 1:
            out.append(own[parts[0].shot, parts[0].frame])
        else:
            mixed = "|".join(f"{own[p.shot, p.frame]} {p.share:.6f}" for p in parts)
            out.append(hashlib.sha256(mixed.encode()).hexdigest())
    return out
