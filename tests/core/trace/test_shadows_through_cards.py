"""Shadows of cut-out cards over one another: a shadow ray looks on from where it began, however many it meets."""

from __future__ import annotations

import hashlib
from dataclasses import replace

import numpy as np
import pytest

from lumwick.built.gltf_out import glb_of
from lumwick.built.meshes import Mesh, MeshPart, MeshSurface
from lumwick.land.ground import Ground
from lumwick.place.fields import Asset
from lumwick.place.filming import Clock
from lumwick.place.nature import Sea
from lumwick.place.objects import Thing
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.film import blank
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from tests.conftest import small_place

FLAT = Ground(np.zeros((65, 65), np.float32), 4.0, -128.0, -128.0)
SOLID, OPEN = 255, 0
LAYERS = 5


def cards(*opacity: int | None) -> bytes:
    """Level cards of 6 m over one another, half a metre apart, each wholly solid or wholly open; where
    None stands there is none."""
    parts = []
    for k, alpha in enumerate(opacity):
        if alpha is None:
            continue
        z = 2.0 + 0.5 * k
        corners = np.array([[-3, -3, z], [3, -3, z], [3, 3, z], [-3, 3, z]], np.float32)
        picture = np.full((4, 4, 4), 200, np.uint8)
        picture[..., 3] = alpha
        uv = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32)
        triangles = np.array([[0, 1, 2], [0, 2, 3]], np.uint32)
        surface = MeshSurface(f"card {k}", cutoff=0.5, colour_map=picture)
        parts.append(MeshPart(surface, corners, triangles, uv[triangles], None))
    return glb_of(Mesh(tuple(parts)), "cards")


def under(east: float, *opacity: int | None) -> float:
    """Light [cd/m2] of the ground under the middle of some cards at noon, by looking straight at it from beside."""
    data = cards(*opacity)
    asset = Asset(sha256=hashlib.sha256(data).hexdigest(), name="cards.glb", bytes=len(data))
    thing = Thing(id="cards", name="Cards", mesh=asset, east=east)
    place = small_place(growth=[], things=[thing], sea=Sea(present=False))
    shot = place.shots[0].model_copy(update={"clock": Clock(start="2026-06-21T12:00")})
    setting = Setting(place.model_copy(update={"shots": [shot]}), FLAT, lambda _: data)
    eye, at = np.array([east - 6.0, 0.0, 1.5]), np.array([east, 0.0, 0.0])
    way = (at - eye) / np.linalg.norm(at - eye)
    snapshot = evaluate(setting, shot, 0.0)
    camera = replace(snapshot.camera, position=eye, forward=way, focal_mm=400.0, f_number=64.0)
    snapshot = evaluate(setting, shot, 0.0, camera)
    stage, film = Stage(setting), blank(24, 16)
    stage.set(snapshot)
    expose(stage, film, 16)
    return float(film.radiance[..., 1].mean())


@pytest.mark.parametrize("east", [0.0, 60.0])
def test_a_solid_card_shades_whatever_open_ones_lie_over_or_under_it(east: float) -> None:
    lit = under(east, *[OPEN] * LAYERS)
    for at in range(LAYERS):
        alone: list[int | None] = [None] * LAYERS
        among: list[int | None] = [OPEN] * LAYERS
        alone[at] = among[at] = SOLID
        dark = under(east, *alone)
        assert lit > 10 * dark > 0
        assert under(east, *among) == pytest.approx(dark, rel=0.1), at


def test_the_same_shadow_lies_near_the_origin_and_far_from_it() -> None:
    assert under(60.0, OPEN, SOLID) == pytest.approx(under(0.0, OPEN, SOLID), rel=0.1)
