"""How large what is handed on will be, told before it is made."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lumwick.deliver.whole.gathered import Form, Range, first_frame
from lumwick.deliver.whole.usd import instanced
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import Setting

TEXT = 2.6
"""By how much numbers take more room as text than as they are (measured on the demo's pine shot)."""
INDEX = 1.15
"""Bytes of a corner's number as USD packs them (measured likewise)."""
MUCH = 200e6
"""Bytes from which it is said what takes them."""


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
    most: tuple[str, float]
    """Of which kind most of it is, and what share."""

    @property
    def words(self) -> str:
        """Said to whoever asks for it."""
        held = f"{self.forms} forms, {self.moving} of them moving, {self.placements:,} times, {self.frames} frames"
        said = f"{held}: about {self.bytes / 1e6:,.1f} MB"
        if self.bytes < MUCH:
            return said
        kind, share = self.most
        return f"{said}, {share:.0%} of it {kind}: fewer frames, or what is nearer to the camera's way, take less"


def told_size(setting: Setting, shot: Shot, span: Range, suffix: str = ".usd") -> Told:
    """What a range will hold, from its first two frames."""
    whole = first_frame(setting, shot, span)
    frames = span.last - span.first + 1
    by_kind: dict[str, float] = {}
    for form in whole.forms:
        size = _in_gltf(form) if suffix == ".glb" else _in_usd(form, frames) * (TEXT if suffix == ".usda" else 1.0)
        by_kind[form.kind] = by_kind.get(form.kind, 0.0) + size
    total = sum(by_kind.values())
    most = max(by_kind, key=lambda kind: by_kind[kind], default="")
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
        (most, by_kind.get(most, 0.0) / max(total, 1.0)),
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
        rows = instanced(form.placed).values()
        return out + 4.0 * n + sum(frame[0].nbytes * (frames if len(frame) > 1 else 1) for frame in rows)
    return out + 128.0 * (frames if form.goes else 1)


def _in_gltf(form: Form) -> float:
    corners = 3 * len(form.faces) * (2 if form.faces.shape[1] == 4 else 1)
    out = 12.0 * len(form.vertices[0]) + 4.0 * corners
    if form.part is not None and (form.part.normals is not None or form.part.uv is not None):
        out = corners * (12.0 + (12 if form.part.normals is not None else 0) + (8 if form.part.uv is not None else 0))
    n = len(form.placed[0])
    return float(out + 40 * n + (40 * np.size(form.placed, 0) if form.goes and n == 1 else 0))
