"""Stands on the stage: what was set out, the meshes it is drawn by, and where each leans at an instant.

A plant is drawn by one of a few variants of its kind's form, at a level chosen by its distance from the eye.
Far off one patch stands for four.
Light that was scattered once meets every plant in its simplest form, which is four to thirty times smaller.
Reeds and grass that stand closed are drawn by whole patches (`lumwick.growth.scatter.gather`).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from operator import itemgetter

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from lumwick.disk_cache import digest
from lumwick.growth.form_cache import VARIANTS, form_of, variant_of
from lumwick.growth.growth_stage import STEPS, away
from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.form import FLUTTER_GROUPS, LEVELS
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.natural_frequency import natural_frequencies, stem_hz, streamlined
from lumwick.growth.plants import Plants
from lumwick.growth.scatter import cell_numbers, gather
from lumwick.growth.sway import bend, branch_motion
from lumwick.growth.trampling import Body, Yields, push
from lumwick.place.growing import Stand
from lumwick.snapshot.planted import Planted
from lumwick.trace import embree
from lumwick.trace.furnish import Grown, GrownPiece
from lumwick.trace.instance_batches import (
    InstanceBatch,
    Shape,
    StandState,
    Sway,
    apply_growth,
    apply_season,
    as_scattered,
    choose_lods,
    met_by,
    place,
    size_of,
    slopes_of,
)
from lumwick.trace.part import Part
from lumwick.trace.sections.land import LandMade
from lumwick.trace.sections.section import key_of

TWIGS_GO = 0.3
"""How far twigs swing, against branches (practice)."""
IDLE_QUADS = 200_000
"""Quads of forms that are kept though nothing is drawn by them now: some 350 bytes each, with the ray library's."""
TOGETHER = 0.15
"""How far tufts and patches of grass are out of step, against trees: gusts are seen crossing a meadow."""


class Stands:
    """All stands of a place."""

    def __init__(self) -> None:
        self.stand_states: list[StandState] = []
        self._grown: Grown = {}
        self._settings = 0

    def make(self, laid: list[Planted], land: LandMade, grown: Grown) -> None:
        """Set out the stands of a place; those that have not changed are kept.

        Parameters
        ----------
        grown : dict
            The parts of plants of one's own models; with others than before their stands are set out anew.
        """
        other, self._land, self._grown = grown is not self._grown, land, grown
        old = {s.key: s for s in self.stand_states}
        self.stand_states = []
        for one in laid:
            key = digest(one.key, land.ground.fingerprint)
            stand_state = None if other and one.stand.own else old.get(key)
            if stand_state is None:
                batches = self._beds(one.stand, one.plants(land.slope), one.clear)
                stand_state = StandState(key, one.stand, KINDS[one.stand.kind], batches)
            if stand_state.stand.front != one.stand.front:
                stand_state.lods_for = ()
            stand_state.stand = one.stand  # what of it moves is another at every instant
            starts = None if one.stand.front is None else one.stand.front.model_copy(update={"reach": 0.0})
            for batch in stand_state.batches:
                if starts is not None and (batch.distance is None or batch.starts != starts):
                    batch.distance, batch.starts = away(starts, batch.plants.position[:, :2], one.water), starts
            self.stand_states.append(stand_state)

    def _beds(self, stand: Stand, plants: Plants, clear: list[shapely.Geometry]) -> list[InstanceBatch]:
        kind = KINDS[stand.kind]
        rng = np.random.Generator(np.random.Philox(key=[stand.seed, 31]))
        batches: list[tuple[Plants, float, bool, NDArray[np.int64] | None]] = [(plants, 0.0, False, None)]
        if not stand.single and not len(plants.up):
            density = stand.per_hectare / 1e4
            large, _ = gather(plants, 2 * kind.patch, density, self._land.ground, clear=clear)
            patches, single = gather(plants, kind.patch, density, self._land.ground, clear=clear)
            cells = cell_numbers(large.position, 2 * kind.patch)
            order = np.argsort(cells)
            batches = [(large, 2 * kind.patch, True, None)]
            for some, side in ((patches, kind.patch), (single, 0.0)):
                mine = cell_numbers(some.position, 2 * kind.patch)
                at = (
                    order[np.minimum(np.searchsorted(cells, mine, sorter=order), max(len(cells) - 1, 0))]
                    if len(cells)
                    else np.zeros(len(mine), np.int64)
                )
                batches.append(
                    (some, side, False, np.where(cells[at] == mine, at, -1) if len(cells) else np.full(len(mine), -1))
                )
        out = []
        for some, side, far, parent in batches:
            tall = some.scale * stand.height
            natural = stem_hz(stand.kind, tall)
            n = len(some.turn)
            # a rim's tufts need few
            variants = 1 if stand.own else VARIANTS if side or kind.woody else 2
            out.append(
                InstanceBatch(
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

    def piece_of(self, name: str) -> GrownPiece | None:
        """The part of a model of one's own that a part of the stage draws, by its name; None if it draws none."""
        _, *words = f"{name}     ".split(" ")
        levels = self._grown.get(words[0])
        return None if levels is None else levels[int(words[2])][int(words[3])]

    def parts(self, sway: Sway) -> tuple[dict[str, Part], list[embree.Scene]]:
        """The plants within sight at an instant, leaning, as named parts; and the scenes that were bent and wait for
        their commit."""
        self._bent: list[embree.Scene] = []
        self._settings += 1
        made = dict(self._parts(sway))
        self._evict()
        return made, self._bent

    def _evict(self) -> None:
        """Let go of forms that were not drawn for longest, but for as many as one may soon come back to: those of
        another shot of a film, or of a level that the camera has just left."""
        idle = [
            (shape.drawn, batch, form)
            for stand_state in self.stand_states
            for batch in stand_state.batches
            for form, shape in batch.shapes.items()
            if shape.drawn < self._settings
        ]
        over = sum(len(batch.shapes[form].form.quads) for _, batch, form in idle) - IDLE_QUADS
        for _, batch, form in sorted(idle, key=itemgetter(0)):
            if over <= 0:
                break
            over -= len(batch.shapes.pop(form).form.quads)

    def _parts(self, sway: Sway) -> Iterator[tuple[str, Part]]:
        simplest, blown = LEVELS - 1, key_of(replace(sway, bodies=()))
        for stand_state in self.stand_states:
            moving = f"{blown} {stand_state.motion_key}"
            choose_lods(stand_state, sway)
            apply_season(stand_state, sway)
            wind = sway.wind.reaching(stand_state.stand.height)
            there = replace(sway, wind=wind)
            for batch in stand_state.batches:
                if not batch.lods:
                    continue
                slopes = slopes_of(stand_state, batch, there)
                met = met_by(stand_state, batch, sway)
                _let_go(batch, met)
                for lv, v, step, which in batch.lods:
                    hit = np.asarray(met.any(axis=0))[which]
                    for one in self._drawn_by(stand_state, lv, v):
                        name = f"stand {stand_state.stand.id} {batch.side:g} {lv} {one} {step}"
                        shape = self._bent_shape(stand_state, batch, (lv, one, step), there, moving)
                        for k in which[hit].tolist():
                            bodies = [body for body, by in zip(sway.bodies, met[:, k], strict=True) if by]
                            yield f"{name} {k}", self._touched(stand_state, batch, (shape, one), k, slopes, bodies)
                        free = which[~hit]
                        if not len(free):
                            continue
                        part = place(stand_state, batch, shape, free, slopes)
                        yield name, part
                        if lv < simplest and shape.piece is None and not stand_state.kind.still:
                            shape = self._bent_shape(stand_state, batch, (simplest, one, step), there, moving)
                            yield f"{name} scattered", as_scattered(part, shape)

    def _drawn_by(self, stand_state: StandState, level: int, variant: int) -> range:
        """The numbers of the forms that draw plants of a variant: its own, or the parts of a model of one's own."""
        if stand_state.stand.own is None:
            return range(variant, variant + 1)
        return range(len(self._grown[stand_state.stand.id][level]))

    def _touched(
        self,
        stand_state: StandState,
        batch: InstanceBatch,
        drawn: tuple[Shape, int],
        k: int,
        slopes: NDArray[np.float64],
        bodies: list[Body],
    ) -> Part:
        """A plant or patch that something has gone through: as others of its shape at this instant, and pushed."""
        shape, number = drawn
        own = batch.own.get((k, shape.level, number))
        if own is None:
            own = batch.own[k, shape.level, number] = self._made(stand_state, batch, shape.level, number)
        own.vertices[:], own.material = shape.vertices, shape.material
        part = place(stand_state, batch, own, np.array([k]), slopes)
        stand = stand_state.stand
        tall = float(batch.plants.scale[k]) * stand.height
        hz = float(batch.natural[k]) * float(stand.stiffness) ** 0.5
        gives = Yields(tall, hz, stand.rises, not stand_state.kind.woody, size_of(batch, stand) + 0.1)
        push(own.vertices, own.form.foot, part.transforms[0], gives, bodies)
        own.moved = "touched"
        own.mesh.moved()
        self._bent.append(own.scene)
        return part if own.piece else replace(part, mask=embree.MASK_FINE | embree.MASK_COARSE)

    def _bent_shape(
        self, stand_state: StandState, batch: InstanceBatch, form: tuple[int, int, int], sway: Sway, moving: str
    ) -> Shape:
        """A form of a batch by its level, variant and step of growing, bent to an instant, of which ``moving`` is the
        key."""
        level, variant, step = form
        shape = batch.shapes.get(form)
        if shape is None:
            shape = batch.shapes[form] = self._made(stand_state, batch, level, variant)
        shape.drawn = self._settings
        fresh = apply_growth(shape, stand_state, step)
        if shape.level == LEVELS - 1:  # seen from far off, it is moved by its lean alone
            if fresh:
                shape.vertices[:] = shape.rest
                shape.mesh.moved()
                self._bent.append(shape.scene)
        elif fresh or shape.moved != moving:
            shape.moved = moving
            self._move(shape, stand_state, sway)
            shape.mesh.moved()
            self._bent.append(shape.scene)
        return shape

    def _made(self, stand_state: StandState, batch: InstanceBatch, level: int, number: int) -> Shape:
        stand, piece = stand_state.stand, None
        if stand.own is None:
            form, seed = form_of(stand, number, level, batch.side)
        else:
            piece = self._grown[stand.id][level][number]
            form, seed = piece.form, stand.seed * 100
        vertices = embree.padded(form.vertices)
        mesh = embree.mesh(vertices, form.quads, piece.mask if piece else embree.MASK_SOLID, embree.REFIT)
        scene = embree.Scene(dynamic=True, quality=embree.LOW)
        scene.attach(0, mesh)
        scene.commit()
        cut = np.array([np.searchsorted(form.surface, k) for k in (1, 2, 3)], np.int64)
        shape = Shape(form, vertices, scene, mesh, seed, level, None, cut, form.vertices, piece=piece)
        shape.apply_season(stand_state)
        return shape

    def _move(self, shape: Shape, stand_state: StandState, sway: Sway) -> None:
        """Move a form's branches and leaves."""
        kind, stand, wind = stand_state.kind, stand_state.stand, sway.wind
        f = shape.form
        stiff, wild = float(stand.stiffness), float(stand.wild)
        reach = kind.branch_reach * stand.height * (0.35 if kind.woody else 1.0) * wild / stiff
        hz = natural_frequencies(stand)
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
        more = [(weight, group, np.tanh(branches / 0.5) * 0.5) for weight, group in f.also]
        if len(f.twig):
            little = TWIGS_GO * reach
            twigs = branch_motion(FLUTTER_GROUPS, shape.seed + 3, hz.twigs, wind, sway.t, little, sway.loop)
            more.append((f.twig, f.twig_group, np.tanh(twigs / 0.3) * 0.3))
        still = np.zeros(len(f.weight) if more else 0, np.float32)
        for weight, group, moved in more:
            bend(shape.vertices, weight, group, moved, still, f.flutter_group, np.tanh(leaves), shape.vertices)


def _let_go(batch: InstanceBatch, met: NDArray[np.bool_]) -> None:
    """Let go of forms by which nothing is drawn now: of plants that have risen, of steps of growing that are past."""
    steps = {STEPS, *(step for _, _, step, _ in batch.lods)}
    batch.shapes = {form: shape for form, shape in batch.shapes.items() if form[2] in steps}
    if batch.own:
        some = np.asarray(met.any(axis=0))
        batch.own = {plant: shape for plant, shape in batch.own.items() if some[plant[0]]}
