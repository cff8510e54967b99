"""Stands on the stage: what was set out, the meshes it is drawn by, and where each leans at an instant.

A plant is drawn by one of a few variants of its kind's form, at a level chosen by its distance from the eye.
Far off one patch stands for four.
Light that was scattered once meets every plant in its simplest form, which is four to thirty times smaller.
Reeds and grass that stand closed are drawn by whole patches (`lumwick.growth.scatter.gather`).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.air.wind import Gusts
from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.form import LEVELS, Form
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.scatter import Plants, cell_numbers, gather
from lumwick.growth.standing import VARIANTS, form_of, variant_of
from lumwick.growth.sway import bend, branch_motion, cantilever_frequency, lean
from lumwick.keep import digest
from lumwick.place.nature import Stand
from lumwick.snapshot.evaluate import Setting, Snapshot
from lumwick.snapshot.planted import planted
from lumwick.trace import embree
from lumwick.trace.part import Part
from lumwick.trace.records import PLANT_LOOK
from lumwick.trace.sections.land import LandMade
from lumwick.trace.sections.section import key_of
from lumwick.trace.world import PLANT

STIFFNESS_PA, SAP_DENSITY, CROWN = 9.0e9, 900.0, 0.45
"""Green wood: Young's modulus and density (round values of common practice), and the crown's slowing of the stem."""


@dataclass
class Shape:
    """One form of a stand, deformed in place."""

    form: Form
    vertices: NDArray[np.float32]
    scene: embree.Scene
    mesh: embree.Geometry
    seed: int
    level: int
    look: NDArray[np.void]
    cut: NDArray[np.int64]
    moved: str = ""


Dealt = list[tuple[int, int, NDArray[np.int64]]]
"""The plants of a bed that are drawn, by level and variant."""


@dataclass
class Bed:
    """Plants of a stand that are drawn by the same forms: singly, or as patches.

    Attributes
    ----------
    upright : ndarray of float32, shape (n, 12)
        Where each stands and how it is turned, without its lean.
    variant : ndarray, shape (n,)
        Which of the kind's variants each is drawn by.
    dealt : list of (int, int, ndarray)
        As seen from the eye that was asked for last.
    """

    plants: Plants
    side: float
    natural: NDArray[np.float64]
    phase: NDArray[np.float64]
    far: bool
    """Whether these are the large patches that stand for others far off."""
    parent: NDArray[np.int64] | None
    """For each plant the large patch that stands for it far off, or -1."""
    upright: NDArray[np.float32]
    variant: NDArray[np.int64]
    shapes: dict[tuple[int, int], Shape] = field(default_factory=dict)
    dealt: Dealt = field(default_factory=list)
    drawn: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))


@dataclass
class Standing:
    """A stand that is set out."""

    key: str
    stand: Stand
    kind: Kind
    beds: list[Bed]
    dealt_for: tuple[float, ...] = ()
    """From where its beds were dealt out."""


@dataclass(frozen=True)
class Sway:
    """What plants answer to at an instant.

    Attributes
    ----------
    t : float [s]
    loop : float or None [s]
        Length that the clip closes over.
    eye : ndarray, shape (3,) [m]
        From where they are seen: far ones are drawn in simpler forms.
    """

    wind: Gusts
    t: float
    loop: float | None
    eye: NDArray[np.float64]

    @classmethod
    def of(cls, snap: Snapshot, eye: NDArray[np.float64] | None = None) -> Sway:
        seen_from = snap.camera.position if eye is None else eye
        return cls(snap.wind, snap.t, snap.loop, np.asarray(seen_from, float))


class Stands:
    """All stands of a place."""

    def __init__(self) -> None:
        self.standings: list[Standing] = []

    def make(self, setting: Setting, land: LandMade) -> None:
        """Set out the stands of a place; those that have not changed are kept."""
        self._land = land
        old = {s.key: s for s in self.standings}
        self.standings = []
        for one in planted(setting):
            key = digest(one.key, land.fingerprint)
            self.standings.append(
                old.get(key)
                or Standing(
                    key, one.stand, KINDS[one.stand.kind], self._beds(one.stand, one.plants(land.slope), one.clear)
                )
            )

    def _beds(self, stand: Stand, plants: Plants, clear: list[shapely.Geometry]) -> list[Bed]:
        kind = KINDS[stand.kind]
        rng = np.random.Generator(np.random.Philox(key=[stand.seed, 31]))
        beds: list[tuple[Plants, float, bool, NDArray[np.int64] | None]] = [(plants, 0.0, False, None)]
        if not kind.woody:
            density = stand.per_hectare / 1e4
            large, _ = gather(plants, 2 * kind.patch, density, self._land.ground, clear=clear)
            patches, single = gather(plants, kind.patch, density, self._land.ground, clear=clear)
            cells = cell_numbers(large.position, 2 * kind.patch)
            order = np.argsort(cells)
            beds = [(large, 2 * kind.patch, True, None)]
            for some, side in ((patches, kind.patch), (single, 0.0)):
                mine = cell_numbers(some.position, 2 * kind.patch)
                at = (
                    order[np.minimum(np.searchsorted(cells, mine, sorter=order), max(len(cells) - 1, 0))]
                    if len(cells)
                    else np.zeros(len(mine), np.int64)
                )
                beds.append(
                    (some, side, False, np.where(cells[at] == mine, at, -1) if len(cells) else np.full(len(mine), -1))
                )
        out = []
        for some, side, far, parent in beds:
            tall = some.scale * stand.height
            if kind.woody:
                natural = CROWN * np.array(
                    [cantilever_frequency(STIFFNESS_PA, 0.0133 * h, h, SAP_DENSITY) for h in np.maximum(tall, 0.5)]
                )
            else:
                natural = 1.6 / np.maximum(tall, 0.1) ** 0.5
            n = len(some.turn)
            variants = VARIANTS if side or kind.woody else 2  # a rim's tufts need few
            out.append(
                Bed(
                    some,
                    side,
                    natural * rng.uniform(0.82, 1.2, n),
                    rng.uniform(0, 2 * np.pi, n),
                    far,
                    parent,
                    self._upright(some, side, kind),
                    variant_of(some, variants),
                )
            )
        return out

    def _upright(self, p: Plants, side: float, kind: Kind) -> NDArray[np.float32]:
        """Transforms (n, 12) of plants without their lean."""
        c, s, k = np.cos(p.turn), np.sin(p.turn), p.scale
        across = np.ones_like(k) if side else k  # a patch keeps its square, whatever its height
        m = np.zeros((len(k), 12), np.float32)
        m[:, 0], m[:, 1] = c * across, s * across
        m[:, 3], m[:, 4] = -s * across, c * across
        m[:, 8] = k
        if not kind.woody:  # a tuft or a patch lies along the slope
            g = self._land.ground
            i = np.clip(((p.position[:, 1] - g.south) / g.spacing).round().astype(int), 0, g.heights.shape[0] - 1)
            j = np.clip(((p.position[:, 0] - g.west) / g.spacing).round().astype(int), 0, g.heights.shape[1] - 1)
            n = self._land.normals[i, j]
            for col in (0, 3):
                m[:, col + 2] = -(m[:, col] * n[:, 0] + m[:, col + 1] * n[:, 1]) / n[:, 2]
        m[:, 9:] = p.position
        return m

    def parts(self, sway: Sway) -> tuple[dict[str, Part], list[embree.Scene]]:
        """The plants within sight at an instant, leaning, as named parts; and the scenes that were bent and wait for
        their commit."""
        self._bent: list[embree.Scene] = []
        return dict(self._parts(sway)), self._bent

    def _parts(self, sway: Sway) -> Iterator[tuple[str, Part]]:
        simplest, moving = LEVELS - 1, key_of(sway)
        for standing in self.standings:
            _deal(standing, sway)
            wind = sway.wind.reaching(standing.stand.height)
            there = replace(sway, wind=wind)
            for bed in standing.beds:
                if not bed.dealt:
                    continue
                slopes = _slopes(standing, bed, there)
                for lv, v, which in bed.dealt:
                    shape = self._bent_shape(standing, bed, (lv, v), there, moving)
                    part = _place(standing, bed, shape, which, slopes)
                    name = f"stand {standing.stand.id} {bed.side:g} {lv} {v}"
                    yield name, part
                    if lv < simplest:
                        shape = self._bent_shape(standing, bed, (simplest, v), there, moving)
                        yield f"{name} scattered", _as_scattered(part, shape)

    def _bent_shape(self, standing: Standing, bed: Bed, form: tuple[int, int], sway: Sway, moving: str) -> Shape:
        """A form of a bed by its level and variant, bent to an instant, of which ``moving`` is the key."""
        shape = self._shape(standing, bed, *form)
        self._bend(shape, standing, sway, moving)
        return shape

    def _shape(self, standing: Standing, bed: Bed, level: int, variant: int) -> Shape:
        key = (level, variant)
        if key not in bed.shapes:
            form, seed = form_of(standing.stand, variant, level, bed.side)
            vertices = embree.padded(form.vertices)
            mesh = embree.mesh(vertices, form.quads, quality=embree.REFIT)
            scene = embree.Scene(dynamic=True, quality=embree.LOW)
            scene.attach(0, mesh)
            scene.commit()
            cut = np.array([np.searchsorted(form.surface, k) for k in (1, 2, 3)], np.int64)
            look = _look(standing, form)
            bed.shapes[key] = Shape(form, vertices, scene, mesh, seed, level, look, cut)
        return bed.shapes[key]

    def _bend(self, shape: Shape, standing: Standing, sway: Sway, moving: str) -> None:
        """Move a form's branches and leaves; the simplest form, seen from far off, is moved by its lean alone."""
        kind, stand, wind = standing.kind, standing.stand, sway.wind
        if shape.moved == moving or shape.level == LEVELS - 1:
            return
        shape.moved = moving
        f = shape.form
        reach = kind.branch_reach * stand.height * (0.35 if kind.woody else 1.0)
        branches = branch_motion(f.groups, shape.seed, kind.branch_hz, wind, sway.t, reach, sway.loop)
        branches[0] = 0.0
        leaves = branch_motion(f.flutter_groups, shape.seed + 7, 4.1, wind, sway.t, kind.leaf_reach * 60, sway.loop)
        bend(
            f.vertices,
            f.weight,
            f.group,
            np.tanh(branches / 0.5) * 0.5,
            f.flutter,
            f.flutter_group,
            np.tanh(leaves),
            shape.vertices,
        )
        shape.mesh.moved()
        self._bent.append(shape.scene)


def _levels(kind: Kind, bed: Bed, sway: Sway) -> NDArray[np.int64]:
    """At which level each plant of a bed is drawn, shape (n,); beyond the last it is not."""
    way = bed.plants.position - sway.eye
    away = np.sqrt(np.einsum("ij,ij->i", way, way))
    # each plant changes its form at its own distance, so that no ring is seen
    away /= 0.82 + 0.36 * bed.plants.shade
    return np.asarray(np.searchsorted(np.array(kind.reaches), away))


def _deal(standing: Standing, sway: Sway) -> None:
    """Deal a stand's plants out over their forms, as they are seen from where they are."""
    seen = tuple(sway.eye)
    if standing.dealt_for == seen:
        return
    standing.dealt_for = seen
    kind, simplest, stood_for = standing.kind, LEVELS - 1, np.zeros(0, bool)
    for bed in standing.beds:
        bed.dealt = []
        if not len(bed.plants.turn):
            continue
        level = _levels(kind, bed, sway)
        if bed.far:
            stood_for = level == simplest
            level = np.where(stood_for, simplest, LEVELS)
        elif bed.parent is not None and len(stood_for):
            level = np.where((bed.parent >= 0) & stood_for[bed.parent], LEVELS, level)
        bed.drawn = np.flatnonzero(level < len(kind.reaches))
        form = level[bed.drawn] * VARIANTS + bed.variant[bed.drawn]
        for one in np.unique(form).tolist():
            bed.dealt.append((one // VARIANTS, one % VARIANTS, bed.drawn[form == one]))


def _slopes(standing: Standing, bed: Bed, sway: Sway) -> NDArray[np.float64]:
    """How the plants of a bed that are drawn lean, shape (n, 2), as slopes east and north; the others' are 0."""
    slopes, chosen = np.zeros((len(bed.plants.turn), 2)), bed.drawn
    slopes[chosen] = (
        lean(
            bed.plants.position[chosen, :2],
            bed.natural[chosen],
            bed.phase[chosen],
            standing.kind.compliance,
            sway.wind,
            sway.t,
        )
        + np.tan(np.radians(standing.stand.lean)) * sway.wind.toward
    )
    return slopes


def _place(standing: Standing, bed: Bed, shape: Shape, which: NDArray[np.int64], slopes: NDArray[np.float64]) -> Part:
    m, slope = bed.upright[which], slopes[which]
    k = m[:, 8]
    m[:, 6:8] = slope * k[:, None]
    m[:, 8] = k / np.sqrt(1 + (slope * slope).sum(1))
    mask = embree.MASK_FINE if shape.level < LEVELS - 1 else embree.MASK_FINE | embree.MASK_COARSE
    return Part(
        PLANT,
        shape.scene,
        m,
        bed.plants.shade[which].astype(np.float32),
        shape.look,
        shape.cut,
        mask=mask,
        thing=standing.stand.name,
        surfaces=tuple(f"{standing.stand.kind} {what}" for what in ("bark", "leaf", "stalk", "plume")),
    )


def _look(standing: Standing, form: Form) -> NDArray[np.void]:
    kind, look = standing.kind, np.zeros((), PLANT_LOOK)
    look["reflected"] = kind.bark, kind.leaf, kind.stalk, kind.plume
    look["transmitted"][1:] = kind.through, kind.through, kind.plume
    look["height"], look["dark_root"] = standing.stand.height, float(kind.dark_root)
    look["strip"], look["sheen"] = form.strip, kind.sheen**2
    return look


def _as_scattered(part: Part, simple: Shape) -> Part:
    """The same placements of the simplest form, for the rays that scattered light takes."""
    return replace(part, child=simple.scene, look=simple.look, cut=simple.cut, mask=embree.MASK_COARSE)
