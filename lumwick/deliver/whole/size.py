"""How large what is handed on will be, told before it is made."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lumwick.deliver.whole.gathered import Form, Range, first_frame
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import Setting

TEXT = 2.6
"""By how much numbers take more room as text than as they are (measured on the demo's pine shot)."""
INDEX = 1.15
"""Bytes of a corner's number as USD packs them (measured likewise)."""


@dataclass(frozen=True)
class Told:
    """What a range holds, and about how many bytes it takes.

    Attributes
    ----------
    forms, placements, moving : int
        Meshes, how often they stand in the place, and meshes whose points move.
    """

    bytes: int
    forms: int
    placements: int
    moving: int
    frames: int


def told_size(setting: Setting, shot: Shot, span: Range, suffix: str = ".usd") -> Told:
    """What a range will hold, from its first two frames."""
    whole = first_frame(setting, shot, span)
    frames = span.last - span.first + 1
    if suffix == ".glb":
        total = sum(_in_gltf(form) for form in whole.forms)
    else:
        total = sum(_in_usd(form, frames) for form in whole.forms) * (TEXT if suffix == ".usda" else 1.0)
    pictures = {
        id(image): image.nbytes * 0.5
        for form in whole.forms
        for s in form.surfaces
        for image in (s.colour_map, s.normal_map, s.rough_map, s.glow_map)
        if image is not None
    }
    return Told(
        int(total + sum(pictures.values()) + 200 * frames + 20_000),
        len(whole.forms),
        sum(len(form.placed[0]) for form in whole.forms),
        sum(form.bends for form in whole.forms),
        frames,
    )


def _in_usd(form: Form, frames: int) -> float:
    points, corners = len(form.vertices[0]), form.faces.size
    out = 12.0 * points * (frames if form.bends else 1) + INDEX * corners + len(form.faces) * 0.05
    if form.part is not None:
        out += (36.0 if form.part.normals is not None else 0) * len(form.part.triangles)
        out += (24.0 if form.part.uv is not None else 0) * len(form.part.triangles)
    if form.colours is not None:
        out += form.colours.nbytes
    n = len(form.placed[0])
    if n > 1 or form.kind == "plants":
        return out + n * (12 + 4 + (20.0 * frames if form.goes else 20))
    return out + 128.0 * (frames if form.goes else 1)


def _in_gltf(form: Form) -> float:
    corners = 3 * len(form.faces) * (2 if form.faces.shape[1] == 4 else 1)
    out = 12.0 * len(form.vertices[0]) + 4.0 * corners
    if form.part is not None and (form.part.normals is not None or form.part.uv is not None):
        out = corners * (12.0 + (12 if form.part.normals is not None else 0) + (8 if form.part.uv is not None else 0))
    n = len(form.placed[0])
    return float(out + 40 * n + (40 * np.size(form.placed, 0) if form.goes and n == 1 else 0))
