"""The beds of a stand on the stage: by which forms its plants are drawn, how far they have grown, how they look in
their season, how they lean, and which were met by what goes through them.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.air.wind import Gusts
from lumwick.growth.coming import STEPS, WHOLE, Bears, grown, stages
from lumwick.growth.kinds.form import LEVELS, Form
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import Look, at_month, month_of
from lumwick.growth.natural import streamlined
from lumwick.growth.plants import Plants
from lumwick.growth.standing import VARIANTS
from lumwick.growth.sway import lean
from lumwick.growth.touch import Body
from lumwick.place.growing import Front, Stand
from lumwick.snapshot.evaluate import Snapshot
from lumwick.snapshot.planted import MOVES
from lumwick.trace import embree
from lumwick.trace.furnish import GrownPiece
from lumwick.trace.part import Part
from lumwick.trace.plant_materials import own_plant_material, plant_material
from lumwick.trace.world import MODEL, PLANT


@dataclass
class Shape:
    """One form of a stand, deformed in place."""

    form: Form
    vertices: NDArray[np.float32]
    scene: embree.Scene
    mesh: embree.Geometry
    seed: int
    level: int
    material: Any
    """Its record for the kernel: PLANT_LOOK, or SURFACE of a model of one's own."""
    cut: NDArray[np.int64]
    rest: NDArray[np.float32]
    """Its vertices without wind, as far as it has grown."""
    bears: Bears = WHOLE
    looks_as: str = ""
    moved: str = ""
    drawn: int = 0
    """Number of the last setting of the stage that it was drawn at."""
    piece: GrownPiece | None = None
    """Of a plant of one's own model, which part of it this is."""

    def dress(self, standing: Standing) -> None:
        """Let it look as its stand's season says."""
        if self.looks_as != standing.looks_as:
            self.looks_as, stand, season = standing.looks_as, standing.stand, standing.material
            self.material = (
                own_plant_material(stand, season, self.piece)
                if self.piece
                else plant_material(stand, season, self.form)
            )


Dealt = list[tuple[int, int, int, NDArray[np.int64]]]
"""The plants of a bed that are drawn, by level, variant and step of growing."""
COLOURS = ("leaf_colour", "flower_colour", "tip_colour", "side_colour", "side_faces", "varied")
"""What of a stand's description its forms' looks are made from."""
TOUCHED_AT_MOST = 600
"""Plants or patches that are drawn each by a form of its own, since something has gone through them."""


@dataclass
class Bed:
    """Plants of a stand that are drawn by the same forms: singly, or as patches.

    Attributes
    ----------
    upright : ndarray of float32, shape (n, 12)
        Where each stands and how it is turned, without its lean.
    variant : ndarray, shape (n,)
        Which of the kind's variants each is drawn by.
    dealt : list of (int, int, int, ndarray)
        As seen from the eye that was asked for last.
    distance : ndarray, shape (n,) or None [m]
        Of each from where its stand's front of growth started.
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
    shapes: dict[tuple[int, int, int], Shape] = field(default_factory=dict)
    own: dict[tuple[int, int, int], Shape] = field(default_factory=dict)
    """Forms of plants that were touched, by plant, level and number of the form."""
    distance: NDArray[np.float64] | None = None
    starts: Front | None = None
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
    """From where its beds were dealt out, and how far they had grown."""
    material: Look = field(default_factory=lambda: Look((0.0, 0.0, 0.0)))
    """In the season that it was last seen in."""
    looks_as: str = ""

    @property
    def moves_as(self) -> str:
        """What of its description may be another without its plants being set out anew; see `MOVES`."""
        return self.stand.model_dump_json(include=MOVES)


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
    month : float
        Of the year, for what goes by its date.
    bodies : tuple of Body
        What has gone through plants in the last seconds.
    """

    wind: Gusts
    t: float
    loop: float | None
    eye: NDArray[np.float64]
    month: float = 7.0
    bodies: tuple[Body, ...] = ()

    @classmethod
    def of(cls, snap: Snapshot, eye: NDArray[np.float64] | None = None) -> Sway:
        seen_from = snap.camera.position if eye is None else eye
        dated = any(stand.leaves == "by the date" for stand in snap.place.growth)
        month = round(month_of(snap.clock, float(snap.place.site.latitude)), 2) if dated else 7.0
        return cls(snap.wind, snap.t, snap.loop, np.asarray(seen_from, float), month, snap.bodies)


def let_rest(shape: Shape, standing: Standing, step: int) -> bool:
    """Let a form be as far grown as it is, and look as its season says; whether its vertices are others than before."""
    material = standing.material
    shape.dress(standing)
    bears = Bears(step / STEPS, round(material.kept * 32) / 32, round(material.bloom * 32) / 32)
    if bears == shape.bears:
        return False
    shape.bears = bears
    if bears == WHOLE:
        shape.rest = shape.form.vertices
    else:
        shape.rest = np.empty_like(shape.form.vertices)
        grown(shape.form, bears, shape.rest)
    return True


def dress(standing: Standing, sway: Sway) -> None:
    """Tell how a stand looks in the season that it is seen in."""
    stand, kind = standing.stand, standing.kind
    if stand.leaves == "in summer":
        standing.material = Look(kind.leaf)
    else:
        month = sway.month if stand.leaves == "by the date" else float(stand.month)
        standing.material = at_month(kind.turns, month, kind.leaf)
    standing.looks_as = repr((standing.material, *(getattr(stand, name) for name in COLOURS)))


def size_of(bed: Bed, stand: Stand) -> float:
    """How far a plant or patch of a bed reaches from its middle [m]."""
    return 0.71 * bed.side if bed.side else 0.9 if not stand.single else 0.35 * stand.height


def met_by(standing: Standing, bed: Bed, sway: Sway) -> NDArray[np.bool_]:
    """By which bodies the plants of a bed have been met of late, shape (bodies, n)."""
    met = np.zeros((max(len(sway.bodies), 1), len(bed.plants.turn)), bool)
    near = bed.drawn[levels_of(standing.kind, bed, sway)[bed.drawn] < LEVELS - 1] if sway.bodies else ()
    if bed.far or not len(near) or standing.kind.still:
        return met
    for by, body in zip(met, sway.bodies, strict=True):
        by[near] = body.reaches(bed.plants.position[near, :2], size_of(bed, standing.stand))
    some = np.asarray(met.any(axis=0))
    if some.sum() > TOUCHED_AT_MOST:  # those nearest to the eye
        off = np.linalg.norm(bed.plants.position - sway.eye, axis=1)
        met &= off <= np.partition(off[some], TOUCHED_AT_MOST - 1)[TOUCHED_AT_MOST - 1]
    return met


def levels_of(kind: Kind, bed: Bed, sway: Sway) -> NDArray[np.int64]:
    """At which level each plant of a bed is drawn, shape (n,); beyond the last it is not."""
    way = bed.plants.position - sway.eye
    away = np.sqrt(np.einsum("ij,ij->i", way, way))
    # each plant changes its form at its own distance, so that no ring is seen
    away /= 0.82 + 0.36 * bed.plants.shade
    return np.asarray(np.searchsorted(np.array(kind.reaches), away))


def deal(standing: Standing, sway: Sway) -> None:
    """Deal a stand's plants out over their forms, as they are seen from where they are."""
    stand = standing.stand
    seen = (*sway.eye, float(stand.grown), 0.0 if stand.front is None else float(stand.front.reach))
    if standing.dealt_for == seen:
        return
    standing.dealt_for = seen
    kind, simplest, stood_for = standing.kind, LEVELS - 1, np.zeros(0, bool)
    for bed in standing.beds:
        bed.dealt = []
        if not len(bed.plants.turn):
            continue
        level = levels_of(kind, bed, sway)
        if bed.far:
            stood_for = level == simplest
            level = np.where(stood_for, simplest, LEVELS)
        elif bed.parent is not None and len(stood_for):
            level = np.where((bed.parent >= 0) & stood_for[bed.parent], LEVELS, level)
        step = stages(stand, bed.plants, bed.distance)
        bed.drawn = np.flatnonzero((level < len(kind.reaches)) & (step > 0))
        form = (level[bed.drawn] * VARIANTS + bed.variant[bed.drawn]) * (STEPS + 1) + step[bed.drawn]
        for one in np.unique(form).tolist():
            kind_of, grown_to = divmod(one, STEPS + 1)
            bed.dealt.append((kind_of // VARIANTS, kind_of % VARIANTS, grown_to, bed.drawn[form == one]))


def slopes_of(standing: Standing, bed: Bed, sway: Sway) -> NDArray[np.float64]:
    """How the plants of a bed that are drawn lean, shape (n, 2), as slopes east and north; the others' are 0."""
    slopes, chosen = np.zeros((len(bed.plants.turn), 2)), bed.drawn
    stiff, wild = float(standing.stand.stiffness), float(standing.stand.wild)
    slopes[chosen] = (
        lean(
            bed.plants.position[chosen, :2],
            bed.natural[chosen] * stiff**0.5,
            bed.phase[chosen],
            standing.kind.compliance * wild / stiff * streamlined(float(sway.wind.mean)),
            sway.wind,
            sway.t,
        )
        + np.tan(np.radians(standing.stand.lean)) * sway.wind.toward
    )
    return slopes


def place(standing: Standing, bed: Bed, shape: Shape, which: NDArray[np.int64], slopes: NDArray[np.float64]) -> Part:
    m, slope = bed.upright[which], slopes[which]
    k = np.linalg.norm(m[:, 6:9], axis=1, keepdims=True)
    up = m[:, 6:9] / k
    up[:, :2] += slope
    m[:, 6:9] = up * k / np.linalg.norm(up, axis=1, keepdims=True)
    if shape.piece is not None:
        piece, shade = shape.piece, bed.plants.shade[which].astype(np.float32)
        return Part(
            MODEL, shape.scene, m, shade, shape.material, mask=piece.mask, thing=standing.stand.name,
            surfaces=(piece.part.surface.name,) * 4,
        )  # fmt: skip
    # scattered light meets a plant in its simplest form; a stone as it is, for another would lie within it
    simple = shape.level == LEVELS - 1 or standing.kind.still
    mask = embree.MASK_FINE | embree.MASK_COARSE if simple else embree.MASK_FINE
    return Part(
        PLANT,
        shape.scene,
        m,
        bed.plants.shade[which].astype(np.float32),
        shape.material,
        shape.cut,
        mask=mask,
        thing=standing.stand.name,
        surfaces=tuple(f"{standing.stand.kind} {what}" for what in ("bark", "leaf", "stalk", "plume")),
    )


def as_scattered(part: Part, simple: Shape) -> Part:
    """The same placements of the simplest form, for the rays that scattered light takes."""
    return replace(part, child=simple.scene, material=simple.material, cut=simple.cut, mask=embree.MASK_COARSE)
