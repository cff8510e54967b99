"""A stand's plants as batches of instances: which level of detail each is drawn at, how far they have grown, their
season's colours, how they lean, and which were met by what goes through them.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.air.wind import Gusts
from lumwick.growth.form_cache import VARIANTS
from lumwick.growth.growth_stage import STEPS, WHOLE, Bears, grown, growth_steps
from lumwick.growth.kinds.form import LEVELS, Form
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import Look, at_month, month_of
from lumwick.growth.natural_frequency import streamlined
from lumwick.growth.plants import Plants
from lumwick.growth.sway import lean
from lumwick.growth.trampling import Body
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
    """Its record for the kernel: PLANT_MATERIAL, or MATERIAL of a model of one's own."""
    cut: NDArray[np.int64]
    rest: NDArray[np.float32]
    """Its vertices without wind, as far as it has grown."""
    bears: Bears = WHOLE
    season_key: str = ""
    moved: str = ""
    drawn: int = 0
    """Number of the last setting of the stage that it was drawn at."""
    piece: GrownPiece | None = None
    """Of a plant of one's own model, which part of it this is."""

    def apply_season(self, stand_state: StandState) -> None:
        """Make its material anew if its stand's season is another."""
        if self.season_key != stand_state.season_key:
            self.season_key, stand, season = stand_state.season_key, stand_state.stand, stand_state.season
            self.material = (
                own_plant_material(stand, season, self.piece)
                if self.piece
                else plant_material(stand, season, self.form)
            )


Lods = list[tuple[int, int, int, NDArray[np.int64]]]
"""The plants of a batch that are drawn, by level, variant and step of growing."""
COLOURS = ("leaf_colour", "flower_colour", "tip_colour", "side_colour", "side_faces", "varied")
"""What of a stand's description its materials are made from."""
TOUCHED_AT_MOST = 600
"""Plants or patches that are drawn each by a form of its own, since something has gone through them."""


@dataclass
class InstanceBatch:
    """Plants of a stand that are drawn by the same forms: singly, or as patches.

    Attributes
    ----------
    upright : ndarray of float32, shape (n, 12)
        Where each stands and how it is turned, without its lean.
    variant : ndarray, shape (n,)
        Which of the kind's variants each is drawn by.
    lods : list of (int, int, int, ndarray)
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
    lods: Lods = field(default_factory=list)
    drawn: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))


@dataclass
class StandState:
    """A stand that is set out."""

    key: str
    stand: Stand
    kind: Kind
    batches: list[InstanceBatch]
    lods_for: tuple[float, ...] = ()
    """The eye and the growth that its levels of detail were chosen for."""
    season: Look = field(default_factory=lambda: Look((0.0, 0.0, 0.0)))
    """In the season that it was last seen in."""
    season_key: str = ""

    @property
    def motion_key(self) -> str:
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


def apply_growth(shape: Shape, stand_state: StandState, step: int) -> bool:
    """Deform a form to its step of growing, with its season's leaves and colours; whether its vertices have changed."""
    season = stand_state.season
    shape.apply_season(stand_state)
    bears = Bears(step / STEPS, round(season.kept * 32) / 32, round(season.bloom * 32) / 32)
    if bears == shape.bears:
        return False
    shape.bears = bears
    if bears == WHOLE:
        shape.rest = shape.form.vertices
    else:
        shape.rest = np.empty_like(shape.form.vertices)
        grown(shape.form, bears, shape.rest)
    return True


def apply_season(stand_state: StandState, sway: Sway) -> None:
    """Tell how a stand looks in the season that it is seen in."""
    stand, kind = stand_state.stand, stand_state.kind
    if stand.leaves == "in summer":
        stand_state.season = Look(kind.leaf)
    else:
        month = sway.month if stand.leaves == "by the date" else float(stand.month)
        stand_state.season = at_month(kind.turns, month, kind.leaf)
    stand_state.season_key = repr((stand_state.season, *(getattr(stand, name) for name in COLOURS)))


def size_of(batch: InstanceBatch, stand: Stand) -> float:
    """How far a plant or patch of a batch reaches from its middle [m]."""
    return 0.71 * batch.side if batch.side else 0.9 if not stand.single else 0.35 * stand.height


def met_by(stand_state: StandState, batch: InstanceBatch, sway: Sway) -> NDArray[np.bool_]:
    """By which bodies the plants of a batch have been met of late, shape (bodies, n)."""
    met = np.zeros((max(len(sway.bodies), 1), len(batch.plants.turn)), bool)
    near = batch.drawn[lod_of(stand_state.kind, batch, sway)[batch.drawn] < LEVELS - 1] if sway.bodies else ()
    if batch.far or not len(near) or stand_state.kind.still:
        return met
    for by, body in zip(met, sway.bodies, strict=True):
        by[near] = body.reaches(batch.plants.position[near, :2], size_of(batch, stand_state.stand))
    some = np.asarray(met.any(axis=0))
    if some.sum() > TOUCHED_AT_MOST:  # those nearest to the eye
        off = np.linalg.norm(batch.plants.position - sway.eye, axis=1)
        met &= off <= np.partition(off[some], TOUCHED_AT_MOST - 1)[TOUCHED_AT_MOST - 1]
    return met


def lod_of(kind: Kind, batch: InstanceBatch, sway: Sway) -> NDArray[np.int64]:
    """At which level each plant of a batch is drawn, shape (n,); beyond the last it is not."""
    to_plant = batch.plants.position - sway.eye
    away = np.sqrt(np.einsum("ij,ij->i", to_plant, to_plant))
    # each plant changes its form at its own distance, so that no ring is seen
    away /= 0.82 + 0.36 * batch.plants.shade
    return np.asarray(np.searchsorted(np.array(kind.reaches), away))


def choose_lods(stand_state: StandState, sway: Sway) -> None:
    """Deal a stand's plants out over their forms, as they are seen from where they are."""
    stand = stand_state.stand
    seen = (*sway.eye, float(stand.grown), 0.0 if stand.front is None else float(stand.front.reach))
    if stand_state.lods_for == seen:
        return
    stand_state.lods_for = seen
    kind, simplest, stood_for = stand_state.kind, LEVELS - 1, np.zeros(0, bool)
    for batch in stand_state.batches:
        batch.lods = []
        if not len(batch.plants.turn):
            continue
        level = lod_of(kind, batch, sway)
        if batch.far:
            stood_for = level == simplest
            level = np.where(stood_for, simplest, LEVELS)
        elif batch.parent is not None and len(stood_for):
            level = np.where((batch.parent >= 0) & stood_for[batch.parent], LEVELS, level)
        step = growth_steps(stand, batch.plants, batch.distance)
        batch.drawn = np.flatnonzero((level < len(kind.reaches)) & (step > 0))
        form = (level[batch.drawn] * VARIANTS + batch.variant[batch.drawn]) * (STEPS + 1) + step[batch.drawn]
        for one in np.unique(form).tolist():
            kind_of, grown_to = divmod(one, STEPS + 1)
            batch.lods.append((kind_of // VARIANTS, kind_of % VARIANTS, grown_to, batch.drawn[form == one]))


def slopes_of(stand_state: StandState, batch: InstanceBatch, sway: Sway) -> NDArray[np.float64]:
    """How the plants of a batch that are drawn lean, shape (n, 2), as slopes east and north; the others' are 0."""
    slopes, chosen = np.zeros((len(batch.plants.turn), 2)), batch.drawn
    stiff, wild = float(stand_state.stand.stiffness), float(stand_state.stand.wild)
    slopes[chosen] = (
        lean(
            batch.plants.position[chosen, :2],
            batch.natural[chosen] * stiff**0.5,
            batch.phase[chosen],
            stand_state.kind.compliance * wild / stiff * streamlined(float(sway.wind.mean)),
            sway.wind,
            sway.t,
        )
        + np.tan(np.radians(stand_state.stand.lean)) * sway.wind.toward
    )
    return slopes


def place(
    stand_state: StandState, batch: InstanceBatch, shape: Shape, which: NDArray[np.int64], slopes: NDArray[np.float64]
) -> Part:
    m, slope = batch.upright[which], slopes[which]
    k = np.linalg.norm(m[:, 6:9], axis=1, keepdims=True)
    up = m[:, 6:9] / k
    up[:, :2] += slope
    m[:, 6:9] = up * k / np.linalg.norm(up, axis=1, keepdims=True)
    if shape.piece is not None:
        piece, shade = shape.piece, batch.plants.shade[which].astype(np.float32)
        return Part(
            MODEL, shape.scene, m, shade, shape.material, mask=piece.mask, thing=stand_state.stand.name,
            surfaces=(piece.part.surface.name,) * 4,
        )  # fmt: skip
    # scattered light meets a plant in its simplest form; a stone as it is, for another would lie within it
    simple = shape.level == LEVELS - 1 or stand_state.kind.still
    mask = embree.MASK_FINE | embree.MASK_COARSE if simple else embree.MASK_FINE
    return Part(
        PLANT,
        shape.scene,
        m,
        batch.plants.shade[which].astype(np.float32),
        shape.material,
        shape.cut,
        mask=mask,
        thing=stand_state.stand.name,
        surfaces=tuple(f"{stand_state.stand.kind} {what}" for what in ("bark", "leaf", "stalk", "plume")),
    )


def as_scattered(part: Part, simple: Shape) -> Part:
    """The same placements of the simplest form, for the rays that scattered light takes."""
    return replace(part, child=simple.scene, material=simple.material, cut=simple.cut, mask=embree.MASK_COARSE)
