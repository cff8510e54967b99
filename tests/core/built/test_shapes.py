"""Own shapes: their measures by the solids' formulas, closed as bodies are, and their place in a document."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import trimesh
from trimesh.ray import ray_pyembree

from lumwick.built.shapes import BANDS, ROUND, cut_wall, mesh_of_shape
from lumwick.errors import PlaceError
from lumwick.place.edits import apply, command
from lumwick.place.objects import Opening, Shape, Thing
from tests.conftest import small_place


def solid(kind: str, **more: Any) -> trimesh.Trimesh:
    """A shape without its panes, its corners joined."""
    part = mesh_of_shape(Shape(kind=kind, **more)).parts[0]  # type: ignore[arg-type]
    made = trimesh.Trimesh(part.vertices, part.triangles, process=False)
    made.merge_vertices(digits_vertex=6)
    return made


@pytest.mark.parametrize(
    ("kind", "volume", "within"),
    [
        ("box", 2 * 3 * 1.5, 1e-6),
        ("cylinder", np.pi * 1 * 1.5 * 1.5, 1.5 * (2 * np.pi / ROUND) ** 2 / 6),
        ("cone", np.pi * 1 * 1.5 * 1.5 / 3, 1.5 * (2 * np.pi / ROUND) ** 2 / 6),
        ("ball", 4 / 3 * np.pi * 1 * 1.5 * 0.75, 3 * (np.pi / BANDS) ** 2 / 6 * 1.5),
        ("stairs", 2 * 3 * 1.5 * (10 + 1) / 20, 1e-6),  # n steps fill (n + 1) / 2n of their box
    ],
)
def test_volumes_and_measures(kind: str, volume: float, within: float) -> None:
    made = solid(kind, width=2, depth=3, height=1.5, steps=10)
    if kind == "stairs":
        assert sum(abs(part.volume) for part in trimesh.Trimesh(
            *_raw(kind, width=2, depth=3, height=1.5, steps=10)).split()) == pytest.approx(volume)  # fmt: skip
    else:
        assert made.is_watertight and made.is_winding_consistent
        assert made.volume == pytest.approx(volume, rel=max(within, 1e-6)) and made.volume > 0
    assert made.bounds == pytest.approx(np.array([[-1, -1.5, 0], [1, 1.5, 1.5]]), abs=1e-6)


def _raw(kind: str, **more: Any) -> tuple[np.ndarray, np.ndarray]:
    part = mesh_of_shape(Shape(kind=kind, **more)).parts[0]  # type: ignore[arg-type]
    joined, number = np.unique(part.vertices.round(6), axis=0, return_inverse=True)
    boxes = np.arange(len(part.triangles)) // 12  # each step by itself
    keyed = number.reshape(-1)[part.triangles] + boxes[:, None] * len(joined)
    kept, again = np.unique(keyed, return_inverse=True)
    return joined[kept % len(joined)], again.reshape(-1, 3)


@pytest.mark.parametrize("kind", ["ball", "cylinder", "cone", "sweep"])
def test_normals_of_round_shapes_point_outwards_and_are_as_long_as_one(kind: str) -> None:
    part = mesh_of_shape(Shape(kind=kind, width=2, depth=3, height=1.5, curve=0.7)).parts[0]  # type: ignore[arg-type]
    assert part.normals is not None
    assert np.linalg.norm(part.normals, axis=2) == pytest.approx(1, abs=1e-5)
    corners = part.vertices[part.triangles].astype(float)
    face = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    face /= np.linalg.norm(face, axis=1, keepdims=True)
    assert np.einsum("ni,nki->nk", face, part.normals).min() > np.cos(np.radians(12))


def test_a_wall_is_whole_but_for_its_openings() -> None:
    door = Opening(id="door", along=-1, up=0, width=1, height=2)
    window = Opening(id="window", along=1, up=1, width=1, height=1, glazed=True)
    made = solid("wall", width=4, height=2.6, thick=0.25, openings=[door, window])
    assert made.is_watertight
    assert made.volume == pytest.approx((4 * 2.6 - 2 - 1) * 0.25, rel=1e-6)
    mesh = mesh_of_shape(Shape(kind="wall", width=4, height=2.6, thick=0.25, openings=[door, window]))
    assert len(mesh.parts) == 2 and mesh.parts[1].surface.clear == 1
    pane = mesh.parts[1].vertices
    assert pane.min(0) == pytest.approx([0.5, 0, 1]) and pane.max(0) == pytest.approx([1.5, 0, 2])


def test_openings_that_overlap_or_leave_the_wall_open_their_union() -> None:
    over = [Opening(id="a", along=1, up=1, width=1, height=1), Opening(id="b", along=1.25, up=1.5, width=1, height=9)]
    area = sum((r - x) * (t - z) for x, z, r, t in cut_wall(3.0, 2.5, over))
    assert area == pytest.approx(3 * 2.5 - (1 * 1 + 1 * 1.0 - 0.75 * 0.5))
    assert cut_wall(3.0, 2.5, [Opening(id="a", along=1.5, up=0, width=9, height=9)]) == []


def test_a_rooms_inside_is_as_it_is_said_and_its_window_is_where_it_is_put() -> None:
    window = Opening(id="w", wall="east", along=0.5, up=1, width=1, height=1)
    part = mesh_of_shape(Shape(kind="room", width=4, depth=3, height=2.5, thick=0.2, openings=[window])).parts[0]
    room = trimesh.Trimesh(part.vertices, part.triangles, process=False)
    ray = ray_pyembree.RayMeshIntersector(room)

    def far(at: tuple[float, float, float], way: tuple[float, float, float]) -> float:
        spots, *_ = ray.intersects_location([at], [way], multiple_hits=False)
        return float(np.linalg.norm(spots[0] - at)) if len(spots) else np.inf

    middle = (0.0, 0.01, 1.2)
    assert far(middle, (-1, 0, 0)) == pytest.approx(2.0)
    assert far(middle, (0, -1, 0)) == pytest.approx(1.51) and far(middle, (0, 1, 0)) == pytest.approx(1.49)
    assert far(middle, (0, 0, 1)) == pytest.approx(1.3) and far(middle, (0, 0, -1)) == pytest.approx(1.2)
    # seen from outside the east wall, its right is to the north
    assert far((0, 0.5, 1.5), (1, 0, 0)) == np.inf and far((0, -0.5, 1.5), (1, 0, 0)) == pytest.approx(2.0)


def test_a_sweep_has_no_edge_between_floor_and_wall() -> None:
    part = mesh_of_shape(Shape(kind="sweep", width=4, depth=5, height=3, curve=1.2)).parts[0]
    v = part.vertices
    curved = (v[:, 1] > 2.5 - 1.2 + 1e-4) & (v[:, 2] < 1.2 - 1e-4)
    assert np.hypot(v[curved, 1] - 1.3, v[curved, 2] - 1.2) == pytest.approx(1.2, abs=1e-5)


def test_a_thing_is_a_file_or_a_shape() -> None:
    with pytest.raises(ValueError, match="either a model's file or a shape"):
        Thing(id="x", name="X")
    place, label = apply(
        small_place(),
        command({"op": "add", "to": "things", "item": {"id": "x", "name": "Stone", "shape": {"kind": "ball"}}}),
    )
    assert label == "added model Stone" and place.things[0].shape is not None
    place, _ = apply(place, command({"op": "set", "path": "/things/x/shape/width", "value": 2.5}))
    assert place.things[0].shape is not None and place.things[0].shape.width == 2.5
    with pytest.raises(PlaceError, match="width"):
        apply(place, command({"op": "set", "path": "/things/x/shape/width", "value": 0}))
