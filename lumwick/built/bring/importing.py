"""Taking models over: whatever is brought in, each as one file that the place keeps, with a word on what came."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import PurePosixPath

import numpy as np

from lumwick.built.bring.bundle import USD_ENDINGS, Bundle, gathered, models
from lumwick.built.bring.plain import plain
from lumwick.built.bring.scale import Guess, guess, length, sized
from lumwick.built.gltf_motion import Motion, moving
from lumwick.built.gltf_out import glb_of
from lumwick.built.meshes import Mesh, beside_file, kind_of, read_mesh
from lumwick.built.reduced import MANY, moves_by_itself, reduced, triangles_of
from lumwick.errors import PlaceError
from lumwick.place.fields import Asset
from lumwick.place.files import asset_of
from lumwick.place.objects import Playing, Thing

SCENE_MODELS_AT_MOST = 60


@dataclass(frozen=True)
class ImportedModel:
    """A model that was taken over.

    Attributes
    ----------
    name : str
        What it is called.
    file : str
        The kept file's name.
    data : bytes
    mesh : Mesh
        In metres as far as its file says.
    guess : Guess
        How large it is meant to be.
    notes : tuple of str
        What was mended or left out, in words.
    motions : tuple of Motion
        How it moves by itself.
    """

    name: str
    file: str
    data: bytes
    mesh: Mesh
    guess: Guess
    notes: tuple[str, ...]
    motions: tuple[Motion, ...] = ()

    @cached_property
    def asset(self) -> Asset:
        """How a place refers to its file."""
        return asset_of(self.file, self.data)

    def in_unit(self, unit: str) -> ImportedModel:
        """The same with its numbers taken for a unit, by its short or long name.

        Raises
        ------
        PlaceError
            There is no such unit.
        """
        low, high = self.mesh.bounds
        size = sized(float((high - low).max()), unit)
        if size is None:
            raise PlaceError(f"A unit is m, cm, mm, in or ft, not {unit!r}.")
        return replace(self, guess=Guess(size))

    def reduced(self, to: int) -> ImportedModel:
        """The same with about so many triangles.

        Raises
        ------
        PlaceError
            It has no more, or its own motion would be lost.
        """
        if self.motions:
            raise PlaceError(moves_by_itself(self.name))
        mesh = reduced(self.mesh, to)
        return replace(self, file=f"{PurePosixPath(self.file).stem}.glb", data=glb_of(mesh, self.name), mesh=mesh)

    def line(self) -> str:
        """One line on what came in."""
        triangles = triangles_of(self.mesh)
        maps = {
            id(m)
            for p in self.mesh.parts
            for m in (p.surface.colour_map, p.surface.normal_map, p.surface.rough_map, p.surface.glow_map)
            if m is not None
        }
        low, high = self.mesh.bounds
        sides = " x ".join(length(float(s) * self.guess.taken.scale) for s in high - low)
        what = f"{triangles:,} triangles, {_many(len(self.mesh.parts), 'surface')}, {_many(len(maps), 'texture')}"
        if self.motions:
            what += f", {_many(len(self.motions), 'motion')}"
        notes = f"; {'; '.join(self.notes)}" if self.notes else ""
        many = " It has many triangles: it can be reduced." if triangles >= MANY and not self.motions else ""
        return f"{self.name}: {what}, {sides}{notes}.{many}"


def _many(count: int, what: str) -> str:
    return f"{count} {what}{'' if count == 1 else 's'}"


def import_model(files: Bundle, names: list[str] | None = None, y_up: bool | None = None) -> list[ImportedModel]:
    """The models among files, or those that are named, each with what it refers to, as files that need nothing beside
    them.

    Parameters
    ----------
    y_up : bool
        Whether the y axis points up in OBJ, PLY and STL files; by custom if None (OBJ: yes).

    Raises
    ------
    PlaceError
        There is none, or one cannot be used; nothing is taken then.
    """
    if names is None:
        files = gathered(files)
        names = models(files)
    if len(names) > SCENE_MODELS_AT_MOST:
        raise PlaceError(
            f"There are {len(names)} models in what was brought: at most {SCENE_MODELS_AT_MOST} are taken at once."
        )
    return [_taken(files, name, y_up) for name in names]


def _taken(files: Bundle, path: str, y_up: bool | None) -> ImportedModel:
    file, suffix = PurePosixPath(path).name, kind_of(files[path], path)
    name = (PurePosixPath(path).stem or "Model")[:80]
    notes: list[str] = []
    told = False
    if suffix in USD_ENDINGS:
        from lumwick.built.bring.usd import read_usd

        model, told = read_usd(files, path, notes), True
        mesh = model.mesh
        file, data = f"{name}.glb", glb_of(mesh, name, model.times, model.moved)
    elif suffix in (".glb", ".gltf"):
        data = plain(files[path], file, lambda key: beside_file(files, key, path), notes)
        file, told = f"{name}.glb", True
        mesh = read_mesh(data, file)
    else:
        others = tuple((other, held) for other, held in files.items() if other != path)
        mesh = read_mesh(files[path], file, y_up, others)
        file, data = f"{name}.glb", glb_of(mesh, name)
    low, high = mesh.bounds
    size = guess(name, np.asarray(high - low), told)
    return ImportedModel(
        name, file, data, mesh, size, tuple(dict.fromkeys([*notes, *mesh.notes])), _motions(data, file)
    )


def _motions(data: bytes, file: str) -> tuple[Motion, ...]:
    return moving(data, file, True).motions if file.endswith(".glb") else ()


BETWEEN = 0.5
"""Metres between models that are set down side by side."""


def set_down(
    taken: list[ImportedModel], ids: list[str], floor: Callable[[float, float], float], east: float, north: float
) -> list[Thing]:
    """Models side by side, their feet on the floor, the first's middle at a spot; their files must be kept as well.

    Parameters
    ----------
    ids : list of str
        One for each.
    floor : callable
        Height [m] of what stands under a spot.
    """
    out, at = [], east
    for k, (one, name) in enumerate(zip(taken, ids, strict=True)):
        low, high = one.mesh.bounds
        half = float(high[0] - low[0]) / 2 * one.guess.taken.scale
        at += half if k else 0.0
        out.append(
            Thing(
                id=name,
                name=one.name,
                mesh=one.asset,
                scale=one.guess.taken.scale,
                plays=Playing(clip=one.motions[0].name) if one.motions else None,
                **standing(one.mesh, one.guess.taken.scale, at, north, floor(at, north)),
            )
        )
        at += half + BETWEEN
    return out


def standing(mesh: Mesh, scale: float, east: float, north: float, floor: float) -> dict[str, float]:
    """East, north and height of a model whose middle is over a spot and whose foot is on the floor [m]."""
    low, high = mesh.bounds
    middle = (low + high) / 2 * scale
    return {
        "east": round(east - float(middle[0]), 4),
        "north": round(north - float(middle[1]), 4),
        "up": round(floor - float(low[2]) * scale, 4),
    }
