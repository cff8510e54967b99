"""Sets of textures, known by their files' names: which picture is a surface's colour, which its normals, and so on.

The endings are those of common practice; red, green and blue of a packed picture are read as glTF packs them.
"""

from __future__ import annotations

import io
import re
from dataclasses import dataclass, replace
from pathlib import PurePosixPath
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from lumwick.built.bring.bundle import Bundle
from lumwick.errors import PlaceError
from lumwick.place.fields import Asset
from lumwick.place.files import asset_of
from lumwick.place.objects import Surface
from lumwick.strangers import pixels

WORDS = {
    "colour_map": ("basecolor", "basecolour", "albedo", "diffuse", "diff", "color", "colour", "col", "base"),
    "normal_map": ("normalgl", "normal", "normals", "nor", "nrm", "nrml", "norgl", "norm"),
    "flipped": ("normaldx", "nordx"),
    "rough_map": ("roughness", "rough", "rgh"),
    "gloss": ("glossiness", "gloss", "smoothness"),
    "metal_map": ("metallic", "metalness", "metal", "mtl"),
    "opacity_map": ("opacity", "alpha", "mask", "transparency"),
    "glow_map": ("emissive", "emission", "emit", "glow"),
    "height": ("displacement", "disp", "height", "bump"),
    "packed": ("metallicroughness", "occlusionroughnessmetallic", "orm", "arm", "metalrough"),
    "shade": ("ambientocclusion", "ao", "occlusion", "occ"),
}
OF_WORD = {word: what for what, words in WORDS.items() for word in words}
PAIRS = {("base", "color"), ("base", "colour"), ("metallic", "roughness"), ("metal", "rough"), ("ambient", "occlusion"),
         ("normal", "gl"), ("normal", "dx"), ("nor", "gl"), ("nor", "dx")}  # fmt: skip
SIZES = re.compile(r"^(\d+k|\d{3,5}(x\d{3,5})?|[248]|16|srgb|linear|raw|\d+bit)$")
SIDE_AT_MOST = 4096
"""A texture's longer side."""
HEIGHT_DEPTH = 0.02
"""How deep a height picture is taken to be, against its width (practice)."""


@dataclass(frozen=True)
class TextureSet:
    """A surface made of pictures, their files, and in words what was made of them or left out."""

    surface: Surface
    files: dict[str, bytes]
    notes: tuple[str, ...]


def meant(name: str) -> tuple[str, str]:
    """The set that a picture's name belongs to, and what it is of it; empty if its name does not say."""
    stem = re.sub(r"(?<=[a-z])(?=[A-Z])", "_", PurePosixPath(name).stem)
    words = [w for w in re.split(r"[\s_.\-]+", stem.lower()) if w]
    while words and SIZES.match(words[-1]):
        words.pop()
    for take in (3, 2, 1):
        last = words[-take:]
        if len(words) > take - 1 and len(last) == take:
            joined = "".join(last)
            if joined in OF_WORD and (take == 1 or take == 3 or tuple(last) in PAIRS):
                return "_".join(words[:-take]) or "surface", OF_WORD[joined]
    return "_".join(words), ""


WIDE = re.compile(r"(?:^|[^a-z0-9.])(\d+(?:[.,]\d+)?) ?(m|cm)(?:[^a-z0-9]|$)")


def size_of(name: str) -> float | None:
    """Width [m] that a name tells: oak_floor_2.5m, brick 60 cm; None if it tells none."""
    found = WIDE.search(name.lower())
    if found is None or not float(found[1].replace(",", ".")):
        return None
    return float(found[1].replace(",", ".")) * (1.0 if found[2] == "m" else 0.01)


def texture_sets(files: Bundle, ids: list[str], size: float | None = None) -> list[TextureSet]:
    """The surfaces that pictures make, by their names.

    Parameters
    ----------
    ids : list of str
        Of surfaces that there are.
    size : float or None [m]
        Width that the pictures cover; by their names, or a metre, if None.

    Raises
    ------
    PlaceError
        No name says what its picture is.
    """
    groups: dict[str, dict[str, str]] = {}
    unknown = []
    for name in sorted(files):
        whole, what = meant(name)
        if not what:
            unknown.append(PurePosixPath(name).name)
            continue
        groups.setdefault(whole, {}).setdefault(what, name)
    if not groups and len(unknown) == 1:  # a picture alone is a colour
        (only,) = files
        groups, unknown = {meant(only)[0] or "surface": {"colour_map": only}}, []
    if not groups:
        raise PlaceError(
            "These pictures' names do not say what they are: end them with color, normal, roughness, metal, opacity, "
            "height or emissive."
        )
    out = []
    taken = list(ids)
    for whole, found in groups.items():
        base = re.sub(r"[^a-z0-9]+", "-", whole.lower()).strip("-")[:32] or "surface"
        name, k = base, 2
        while name in taken:
            name, k = f"{base}-{k}", k + 1
        taken.append(name)
        title = whole.replace("_", " ").strip().capitalize()[:80] or "Surface"
        told = size or size_of(PurePosixPath(next(iter(found.values()))).stem)
        made = _made(name, title, found, files, told or 1.0)
        wide = f"laid {told or 1.0:g} m wide{'' if told else ', since nothing says how wide they are: see its scale'}"
        out.append(replace(made, notes=(*made.notes, wide)))
    if unknown:
        were = "was" if len(unknown) == 1 else "were"
        left = f"{', '.join(unknown[:5])} {were} left out: the name does not say what it is"
        first = out[0]
        out[0] = TextureSet(first.surface, first.files, (*first.notes, left))
    return out


def _made(surface_id: str, title: str, found: dict[str, str], files: Bundle, size: float) -> TextureSet:
    notes: list[str] = []
    kept: dict[str, bytes] = {}
    values: dict[str, Any] = {"roughness": 1.0 if {"rough_map", "packed", "gloss"} & set(found) else 0.7}

    def put(field: str, name: str, data: bytes) -> None:
        asset: Asset = asset_of(PurePosixPath(name).name, data)
        kept[asset.sha256] = data
        values[field] = asset

    for what, name in found.items():
        data, short = files[name], PurePosixPath(name).name
        if what in ("colour_map", "normal_map", "rough_map", "metal_map", "opacity_map", "glow_map"):
            _pixels(data, short)
            put(what, name, data)
        elif what == "flipped" and "normal_map" not in found:
            codes = _pixels(data, short)
            codes[..., 1] = 1 - codes[..., 1]
            put("normal_map", f"{PurePosixPath(name).stem}.png", _png(codes))
            notes.append(f"{short} has its green downwards and was turned round")
        elif what == "gloss" and "rough_map" not in found:
            put("rough_map", f"{PurePosixPath(name).stem}.png", _png(1 - _pixels(data, short)))
            notes.append(f"{short} was turned into roughness")
        elif what == "packed":
            codes = _pixels(data, short)
            for field, channel in (("rough_map", 1), ("metal_map", 2)):
                if field not in found:
                    grey = np.repeat(codes[..., channel : channel + 1], 3, -1)
                    put(field, f"{PurePosixPath(name).stem}_{field}.png", _png(grey))
        elif what == "height" and not {"normal_map", "flipped"} & set(found):
            put("normal_map", f"{PurePosixPath(name).stem}.png", _png(normals_of(_pixels(data, short)[..., 0])))
            notes.append(f"{short} was turned into normals")
        elif what in ("height", "shade"):
            notes.append(
                f"{short} was left out: {'normals stand for it' if what == 'height' else 'light makes its own'}"
            )
    if "metal_map" in values:
        values["metalness"] = 1.0
    if "opacity_map" in values:
        values["cut"] = 0.5
    if "glow_map" in values:
        values["glow"] = 200.0
    if "colour_map" in values:
        values["colour"] = "#ffffff"
    surface = Surface(id=surface_id, name=title, boxed=True, scale=size, **values)
    return TextureSet(surface, kept, tuple(notes))


def _pixels(data: bytes, name: str) -> NDArray[np.floating[Any]]:
    """A picture's red, green and blue codes from 0 to 1."""
    found = pixels(data, name, SIDE_AT_MOST, [])
    return np.asarray(found[..., :3] if found.dtype == np.float32 else found[..., :3] / np.float32(255), np.float32)


def _png(pixels: NDArray[np.floating[Any]]) -> bytes:
    out = io.BytesIO()
    Image.fromarray((pixels.clip(0, 1) * 255).round().astype(np.uint8)).save(out, "PNG")
    return out.getvalue()


def normals_of(height: NDArray[np.floating[Any]]) -> NDArray[np.floating[Any]]:
    """A normal picture of a height picture that comes round on all sides, as glTF has them (green upwards)."""
    depth = HEIGHT_DEPTH * height.shape[1]
    dx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) / 2 * depth
    dy = (np.roll(height, 1, 0) - np.roll(height, -1, 0)) / 2 * depth
    n = np.stack([-dx, -dy, np.ones_like(dx)], -1)
    return np.asarray(n / np.linalg.norm(n, axis=-1, keepdims=True) / 2 + 0.5)
