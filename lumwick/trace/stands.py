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

from lumwick.growth.coming import STEPS, away
from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.form import FLUTTER_GROUPS, LEVELS
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.natural import stem_hz, streamlined, swings_of
from lumwick.growth.plants import Plants
from lumwick.growth.scatter import cell_numbers, gather
from lumwick.growth.standing import VARIANTS, form_of, variant_of
from lumwick.growth.sway import bend, branch_motion
from lumwick.growth.touch import Body, Yields, push
from lumwick.keep import digest
from lumwick.place.growing import Stand
from lumwick.snapshot.planted import Planted
from lumwick.trace import embree
from lumwick.trace.beds import (
    Bed,
    Shape,
    Standing,
    Sway,
    as_scattered,
    deal,
    dress,
    let_rest,
    met_by,
    place,
    size_of,
    slopes_of,
)
from lumwick.trace.furnish import Grown, GrownPiece
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
        self.standings: list[Standing] = []
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
        old = {s.key: s for s in self.standings}
        self.standings = []
        for one in laid:
            key = digest(one.key, land.ground.fingerprint)
            standing = None if other and one.stand.own else old.get(key)
            if standing is None:
                beds = self._beds(one.stand, one.plants(land.slope), one.clear)
                standing = Standing(key, one.stand, KINDS[one.stand.kind], beds)
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
        if not stand.single and not len(plants.up):
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
            # a rim's tufts need few
            variants = 1 if stand.own else VARIANTS if side or kind.woody else 2
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
        self._make_room()
        return made, self._bent

    def _make_room(self) -> None:
        """Let go of forms that were not drawn for longest, but for as many as one may soon come back to: those of
        another shot of a film, or of a level that the camera has just left."""
        idle = [
            (shape.drawn, bed, form)
            for standing in self.standings
            for bed in standing.beds
            for form, shape in bed.shapes.items()
            if shape.drawn < self._settings
        ]
        over = sum(len(bed.shapes[form].form.quads) for _, bed, form in idle) - IDLE_QUADS
        for _, bed, form in sorted(idle, key=itemgetter(0)):
            if over <= 0:
                break
            over -= len(bed.shapes.pop(form).form.quads)

    def _parts(self, sway: Sway) -> Iterator[tuple[str, Part]]:
        simplest, blown = LEVELS - 1, key_of(replace(sway, bodies=()))
        for standing in self.standings:
            moving = f"{blown} {standing.moves_as}"
            deal(standing, sway)
            dress(standing, sway)
            wind = sway.wind.reaching(standing.stand.height)
            there = replace(sway, wind=wind)
            for bed in standing.beds:
                if not bed.dealt:
                    continue
                slopes = slopes_of(standing, bed, there)
                met = met_by(standing, bed, sway)
                _let_go(bed, met)
                for lv, v, step, which in bed.dealt:
                    hit = np.asarray(met.any(axis=0))[which]
                    for one in self._drawn_by(standing, lv, v):
                        name = f"stand {standing.stand.id} {bed.side:g} {lv} {one} {step}"
                        shape = self._bent_shape(standing, bed, (lv, one, step), there, moving)
                        for k in which[hit].tolist():
                            bodies = [body for body, by in zip(sway.bodies, met[:, k], strict=True) if by]
                            yield f"{name} {k}", self._touched(standing, bed, (shape, one), k, slopes, bodies)
                        free = which[~hit]
                        if not len(free):
                            continue
                        part = place(standing, bed, shape, free, slopes)
                        yield name, part
                        if lv < simplest and shape.piece is None and not standing.kind.still:
                            shape = self._bent_shape(standing, bed, (simplest, one, step), there, moving)
                            yield f"{name} scattered", as_scattered(part, shape)

    def _drawn_by(self, standing: Standing, level: int, variant: int) -> range:
        """The numbers of the forms that draw plants of a variant: its own, or the parts of a model of one's own."""
        if standing.stand.own is None:
            return range(variant, variant + 1)
        return range(len(self._grown[standing.stand.id][level]))

    def _touched(
        self,
        standing: Standing,
        bed: Bed,
        drawn: tuple[Shape, int],
        k: int,
        slopes: NDArray[np.float64],
        bodies: list[Body],
    ) -> Part:
        """A plant or patch that something has gone through: as others of its shape at this instant, and pushed."""
        shape, number = drawn
        own = bed.own.get((k, shape.level, number))
        if own is None:
            own = bed.own[k, shape.level, number] = self._made(standing, bed, shape.level, number)
        own.vertices[:], own.material = shape.vertices, shape.material
        part = place(standing, bed, own, np.array([k]), slopes)
        stand = standing.stand
        tall = float(bed.plants.scale[k]) * stand.height
        hz = float(bed.natural[k]) * float(stand.stiffness) ** 0.5
        gives = Yields(tall, hz, stand.rises, not standing.kind.woody, size_of(bed, stand) + 0.1)
        push(own.vertices, own.form.foot, part.transforms[0], gives, bodies)
        own.moved = "touched"
        own.mesh.moved()
        self._bent.append(own.scene)
        return part if own.piece else replace(part, mask=embree.MASK_FINE | embree.MASK_COARSE)

    def _bent_shape(self, standing: Standing, bed: Bed, form: tuple[int, int, int], sway: Sway, moving: str) -> Shape:
        """A form of a bed by its level, variant and step of growing, bent to an instant, of which ``moving`` is the
        key."""
        level, variant, step = form
        shape = bed.shapes.get(form)
        if shape is None:
            shape = bed.shapes[form] = self._made(standing, bed, level, variant)
        shape.drawn = self._settings
        fresh = let_rest(shape, standing, step)
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

    def _made(self, standing: Standing, bed: Bed, level: int, number: int) -> Shape:
        stand, piece = standing.stand, None
        if stand.own is None:
            form, seed = form_of(stand, number, level, bed.side)
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
        shape.dress(standing)
        return shape

    def _move(self, shape: Shape, standing: Standing, sway: Sway) -> None:
        """Move a form's branches and leaves."""
        kind, stand, wind = standing.kind, standing.stand, sway.wind
        f = shape.form
        stiff, wild = float(stand.stiffness), float(stand.wild)
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
        more = [(weight, group, np.tanh(branches / 0.5) * 0.5) for weight, group in f.also]
        if len(f.twig):
            little = TWIGS_GO * reach
            twigs = branch_motion(FLUTTER_GROUPS, shape.seed + 3, hz.twigs, wind, sway.t, little, sway.loop)
            more.append((f.twig, f.twig_group, np.tanh(twigs / 0.3) * 0.3))
        still = np.zeros(len(f.weight) if more else 0, np.float32)
        for weight, group, moved in more:
            bend(shape.vertices, weight, group, moved, still, f.flutter_group, np.tanh(leaves), shape.vertices)


def _let_go(bed: Bed, met: NDArray[np.bool_]) -> None:
    """Let go of forms by which nothing is drawn now: of plants that have risen, of steps of growing that are past."""
    steps = {STEPS, *(step for _, _, step, _ in bed.dealt)}
    bed.shapes = {form: shape for form, shape in bed.shapes.items() if form[2] in steps}
    if bed.own:
        some = np.asarray(met.any(axis=0))
        bed.own = {plant: shape for plant, shape in bed.own.items() if some[plant[0]]}
