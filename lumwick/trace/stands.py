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
from scipy.spatial.transform import Rotation

from lumwick.air.wind import Gusts
from lumwick.growth.coming import STEPS, WHOLE, Bears, away, grown, stages
from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.form import LEVELS, Form
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import Look, at_month, month_of
from lumwick.growth.natural import stem_hz, streamlined, swings_of
from lumwick.growth.scatter import Plants, cell_numbers, gather
from lumwick.growth.standing import VARIANTS, form_of, variant_of
from lumwick.growth.sway import bend, branch_motion, lean
from lumwick.growth.touch import Body, push
from lumwick.keep import digest
from lumwick.place.growing import Front, Stand
from lumwick.snapshot.evaluate import Setting, Snapshot
from lumwick.snapshot.planted import planted
from lumwick.trace import embree
from lumwick.trace.part import Part
from lumwick.trace.plant_looks import look_of
from lumwick.trace.sections.land import LandMade
from lumwick.trace.sections.section import key_of
from lumwick.trace.world import PLANT


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
    rest: NDArray[np.float32]
    """Its vertices without wind, as far as it has grown."""
    bears: Bears = WHOLE
    looks_as: str = ""
    moved: str = ""


Dealt = list[tuple[int, int, int, NDArray[np.int64]]]
"""The plants of a bed that are drawn, by level, variant and step of growing."""
TOGETHER = 0.15
"""How far tufts and patches of grass are out of step, against trees: gusts are seen crossing a meadow."""
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
    own: dict[tuple[int, int], Shape] = field(default_factory=dict)
    """Forms of plants that were touched, by plant and level."""
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
    look: Look = field(default_factory=lambda: Look((0.0, 0.0, 0.0)))
    """In the season that it was last seen in."""
    looks_as: str = ""


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
            standing = old.get(key) or Standing(
                key, one.stand, KINDS[one.stand.kind], self._beds(one.stand, one.plants(land.slope), one.clear)
            )
            if standing.stand.front != one.stand.front:
                standing.dealt_for = ()
            standing.stand = one.stand  # what of it moves is another at every instant
            starts = None if one.stand.front is None else one.stand.front.model_copy(update={"reach": 0.0})
            for bed in standing.beds:
                if starts is not None and (bed.distance is None or bed.starts != starts):
                    bed.distance, bed.starts = away(starts, bed.plants.position[:, :2], one.water), starts
            self.standings.append(standing)

    def _beds(self, stand: Stand, plants: Plants, clear: list[shapely.Geometry]) -> list[Bed]:
        kind = KINDS[stand.kind]
        rng = np.random.Generator(np.random.Philox(key=[stand.seed, 31]))
        beds: list[tuple[Plants, float, bool, NDArray[np.int64] | None]] = [(plants, 0.0, False, None)]
        if not kind.woody and not len(plants.up):
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
            natural = stem_hz(stand.kind, tall)
            n = len(some.turn)
            variants = VARIANTS if side or kind.woody else 2  # a rim's tufts need few
            out.append(
                Bed(
                    some,
                    side,
                    natural * rng.uniform(0.82, 1.2, n),
                    rng.uniform(0, 2 * np.pi, n) * (1.0 if kind.woody else TOGETHER),
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
        if not kind.woody and not len(p.up):  # a tuft or a patch lies along the slope
            g = self._land.ground
            i = np.clip(((p.position[:, 1] - g.south) / g.spacing).round().astype(int), 0, g.heights.shape[0] - 1)
            j = np.clip(((p.position[:, 0] - g.west) / g.spacing).round().astype(int), 0, g.heights.shape[1] - 1)
            n = self._land.normals[i, j]
            for col in (0, 3):
                m[:, col + 2] = -(m[:, col] * n[:, 0] + m[:, col + 1] * n[:, 1]) / n[:, 2]
        m[:, 9:] = p.position
        if len(p.up):  # turned from upright to the way it stands
            up = p.up / np.linalg.norm(p.up, axis=1, keepdims=True)
            axis = np.stack([-up[:, 1], up[:, 0], np.zeros(len(up))], 1)
            size = np.linalg.norm(axis, axis=1)
            angle = np.arctan2(size, up[:, 2])
            axis[size < 1e-9] = [1.0, 0.0, 0.0]
            axis /= np.maximum(np.linalg.norm(axis, axis=1, keepdims=True), 1e-9)
            turned = Rotation.from_rotvec(axis * angle[:, None])
            flat = np.stack([c * across, s * across, 0 * c], 1), np.stack([-s * across, c * across, 0 * c], 1)
            m[:, 0:3], m[:, 3:6] = turned.apply(flat[0]), turned.apply(flat[1])
            m[:, 6:9] = turned.apply(np.stack([0 * k, 0 * k, k], 1))
        return m

    def parts(self, sway: Sway) -> tuple[dict[str, Part], list[embree.Scene]]:
        """The plants within sight at an instant, leaning, as named parts; and the scenes that were bent and wait for
        their commit."""
        self._bent: list[embree.Scene] = []
        return dict(self._parts(sway)), self._bent

    def _parts(self, sway: Sway) -> Iterator[tuple[str, Part]]:
        simplest, moving = LEVELS - 1, key_of(replace(sway, bodies=()))
        for standing in self.standings:
            _deal(standing, sway)
            _dress(standing, sway)
            wind = sway.wind.reaching(standing.stand.height)
            there = replace(sway, wind=wind)
            for bed in standing.beds:
                if not bed.dealt:
                    continue
                slopes = _slopes(standing, bed, there)
                met = _met(standing, bed, sway)
                for lv, v, step, which in bed.dealt:
                    name = f"stand {standing.stand.id} {bed.side:g} {lv} {v} {step}"
                    shape = self._bent_shape(standing, bed, (lv, v, step), there, moving)
                    hit = np.asarray(met.any(axis=0))[which]
                    for k in which[hit].tolist():
                        bodies = [body for body, by in zip(sway.bodies, met[:, k], strict=True) if by]
                        yield f"{name} {k}", self._touched(standing, bed, shape, k, slopes, bodies)
                    free = which[~hit]
                    if not len(free):
                        continue
                    part = _place(standing, bed, shape, free, slopes)
                    yield name, part
                    if lv < simplest:
                        shape = self._bent_shape(standing, bed, (simplest, v, step), there, moving)
                        yield f"{name} scattered", _as_scattered(part, shape)

    def _touched(
        self, standing: Standing, bed: Bed, shape: Shape, k: int, slopes: NDArray[np.float64], bodies: list[Body]
    ) -> Part:
        """A plant or patch that something has gone through: as others of its ``shape`` at this instant, and pushed."""
        own = bed.own.get((k, shape.level))
        if own is None:
            own = bed.own[k, shape.level] = self._made(standing, bed, shape.level, int(bed.variant[k]))
        own.vertices[:], own.look = shape.vertices, shape.look
        part = _place(standing, bed, own, np.array([k]), slopes)
        stand = standing.stand
        tall = float(bed.plants.scale[k]) * stand.height
        hz = float(bed.natural[k]) * float(stand.limp) ** 0.5
        push(
            own.vertices,
            own.form.foot,
            part.transforms[0],
            tall,
            hz,
            bodies,
            rooted=not standing.kind.woody,
            rises=stand.rises,
            reach=_size(bed, stand) + 0.1,
        )
        own.moved = "touched"
        own.mesh.moved()
        self._bent.append(own.scene)
        return replace(part, mask=embree.MASK_FINE | embree.MASK_COARSE)

    def _bent_shape(self, standing: Standing, bed: Bed, form: tuple[int, int, int], sway: Sway, moving: str) -> Shape:
        """A form of a bed by its level, variant and step of growing, bent to an instant, of which ``moving`` is the
        key."""
        level, variant, step = form
        shape = bed.shapes.get(form)
        if shape is None:
            shape = bed.shapes[form] = self._made(standing, bed, level, variant)
        fresh = _rest(shape, standing, step)
        if shape.level == LEVELS - 1:  # seen from far off, it is moved by its lean alone
            if fresh:
                shape.vertices[:] = shape.rest
                shape.mesh.moved()
                self._bent.append(shape.scene)
        elif fresh or shape.moved != moving:
            shape.moved = moving
            self._move(shape, standing, sway)
            shape.mesh.moved()
            self._bent.append(shape.scene)
        return shape

    def _made(self, standing: Standing, bed: Bed, level: int, variant: int) -> Shape:
        form, seed = form_of(standing.stand, variant, level, bed.side)
        vertices = embree.padded(form.vertices)
        mesh = embree.mesh(vertices, form.quads, quality=embree.REFIT)
        scene = embree.Scene(dynamic=True, quality=embree.LOW)
        scene.attach(0, mesh)
        scene.commit()
        cut = np.array([np.searchsorted(form.surface, k) for k in (1, 2, 3)], np.int64)
        look = look_of(standing.stand, standing.look, form)
        return Shape(form, vertices, scene, mesh, seed, level, look, cut, form.vertices, looks_as=standing.looks_as)

    def _move(self, shape: Shape, standing: Standing, sway: Sway) -> None:
        """Move a form's branches and leaves."""
        kind, stand, wind = standing.kind, standing.stand, sway.wind
        f = shape.form
        stiff, wild = float(stand.limp), float(stand.wild)
        reach = kind.branch_reach * stand.height * (0.35 if kind.woody else 1.0) * wild / stiff
        hz = swings_of(stand)
        reach *= streamlined(float(wind.mean))
        branches = branch_motion(f.groups, shape.seed, hz.branches, wind, sway.t, reach, sway.loop)
        branches[0] = 0.0
        flutter = kind.leaf_reach * 60 * wild / stiff**0.5
        leaves = branch_motion(f.flutter_groups, shape.seed + 7, hz.leaves, wind, sway.t, flutter, sway.loop)
        bend(
            shape.rest,
            f.weight,
            f.group,
            np.tanh(branches / 0.5) * 0.5,
            f.flutter,
            f.flutter_group,
            np.tanh(leaves),
            shape.vertices,
        )


def _rest(shape: Shape, standing: Standing, step: int) -> bool:
    """Let a form be as far grown as it is, and look as its season says; whether its vertices are others than before."""
    look = standing.look
    if shape.looks_as != standing.looks_as:
        shape.look, shape.looks_as = look_of(standing.stand, look, shape.form), standing.looks_as
    bears = Bears(step / STEPS, round(look.kept * 32) / 32, round(look.bloom * 32) / 32)
    if bears == shape.bears:
        return False
    shape.bears = bears
    if bears == WHOLE:
        shape.rest = shape.form.vertices
    else:
        shape.rest = np.empty_like(shape.form.vertices)
        grown(shape.form, bears, shape.rest)
    return True


def _dress(standing: Standing, sway: Sway) -> None:
    """Tell how a stand looks in the season that it is seen in."""
    stand, kind = standing.stand, standing.kind
    if stand.leaves == "in summer":
        standing.look = Look(kind.leaf)
    else:
        month = sway.month if stand.leaves == "by the date" else float(stand.month)
        standing.look = at_month(kind.turns, month, kind.leaf)
    standing.looks_as = repr((standing.look, stand.leaf_colour, stand.flower_colour, stand.tip_colour, stand.varied))


def _size(bed: Bed, stand: Stand) -> float:
    """How far a plant or patch of a bed reaches from its middle [m]."""
    return 0.71 * bed.side if bed.side else 0.9 if not KINDS[stand.kind].woody else 0.35 * stand.height


def _met(standing: Standing, bed: Bed, sway: Sway) -> NDArray[np.bool_]:
    """By which bodies the plants of a bed have been met of late, shape (bodies, n)."""
    met = np.zeros((max(len(sway.bodies), 1), len(bed.plants.turn)), bool)
    near = bed.drawn[_levels(standing.kind, bed, sway)[bed.drawn] < LEVELS - 1] if sway.bodies else ()
    if bed.far or not len(near):
        return met
    for by, body in zip(met, sway.bodies, strict=True):
        by[near] = body.reaches(bed.plants.position[near, :2], _size(bed, standing.stand))
    some = np.asarray(met.any(axis=0))
    if some.sum() > TOUCHED_AT_MOST:  # those nearest to the eye
        off = np.linalg.norm(bed.plants.position - sway.eye, axis=1)
        met &= off <= np.partition(off[some], TOUCHED_AT_MOST - 1)[TOUCHED_AT_MOST - 1]
    return met


def _levels(kind: Kind, bed: Bed, sway: Sway) -> NDArray[np.int64]:
    """At which level each plant of a bed is drawn, shape (n,); beyond the last it is not."""
    way = bed.plants.position - sway.eye
    away = np.sqrt(np.einsum("ij,ij->i", way, way))
    # each plant changes its form at its own distance, so that no ring is seen
    away /= 0.82 + 0.36 * bed.plants.shade
    return np.asarray(np.searchsorted(np.array(kind.reaches), away))


def _deal(standing: Standing, sway: Sway) -> None:
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
        level = _levels(kind, bed, sway)
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


def _slopes(standing: Standing, bed: Bed, sway: Sway) -> NDArray[np.float64]:
    """How the plants of a bed that are drawn lean, shape (n, 2), as slopes east and north; the others' are 0."""
    slopes, chosen = np.zeros((len(bed.plants.turn), 2)), bed.drawn
    stiff, wild = float(standing.stand.limp), float(standing.stand.wild)
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


def _place(standing: Standing, bed: Bed, shape: Shape, which: NDArray[np.int64], slopes: NDArray[np.float64]) -> Part:
    m, slope = bed.upright[which], slopes[which]
    k = np.linalg.norm(m[:, 6:9], axis=1, keepdims=True)
    up = m[:, 6:9] / k
    up[:, :2] += slope
    m[:, 6:9] = up * k / np.linalg.norm(up, axis=1, keepdims=True)
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


def _as_scattered(part: Part, simple: Shape) -> Part:
    """The same placements of the simplest form, for the rays that scattered light takes."""
    return replace(part, child=simple.scene, look=simple.look, cut=simple.cut, mask=embree.MASK_COARSE)
