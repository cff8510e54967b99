"""Models with fewer triangles."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from typer.testing import CliRunner

from lumwick.built.bring.importing import import_model
from lumwick.built.gltf_motion import Motion
from lumwick.built.meshes import Mesh, MeshPart, MeshSurface
from lumwick.built.reduced import reduced, triangles_of
from lumwick.cli import app
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.place.files import load
from tests.conftest import small_place
from tests.core.deliver.test_cli_films import written


def ball(subdivisions: int = 6) -> Mesh:
    """A ball of radius 1 m; its texture coordinates are east and height."""
    made = trimesh.creation.icosphere(subdivisions=subdivisions)
    v, t = made.vertices.astype(np.float32), made.faces.astype(np.uint32)
    uv = v[t][..., [0, 2]]
    return Mesh((MeshPart(MeshSurface("skin"), v, t, uv, v[t]),))


def test_reduced_ball_keeps_its_form_its_texture_and_its_normals() -> None:
    # a ball of n triangles inscribed lies within 1 - cos of half their angle of its sphere: 3 % at 2 000
    mesh = ball()
    assert triangles_of(mesh) == 81920
    made = reduced(mesh, 2000)
    assert 1900 <= triangles_of(made) <= 2100
    part = made.parts[0]
    assert np.linalg.norm(part.vertices, axis=1) == pytest.approx(1.0, abs=0.01)
    solid = trimesh.Trimesh(part.vertices, part.triangles.astype(int), process=True)
    assert solid.is_watertight and solid.volume == pytest.approx(4 / 3 * np.pi, rel=0.006)
    corners = part.vertices[part.triangles]
    assert part.uv == pytest.approx(corners[..., [0, 2]], abs=0.02)
    assert np.einsum("nkc,nkc->nk", part.normals, corners).min() > 0.998


def test_parts_keep_their_shares_and_a_seam_its_sides() -> None:
    # two sheets edge to edge whose textures jump at the edge
    n = 60
    x, y = np.meshgrid(np.linspace(0, 1, n), np.linspace(0, 1, n))
    v = np.stack([x, y, 0 * x], -1).reshape(-1, 3)
    k = (np.arange(n - 1)[:, None] * n + np.arange(n - 1)).ravel()
    t = np.concatenate([np.stack([k, k + 1, k + n + 1], 1), np.stack([k, k + n + 1, k + n], 1)])
    both = np.concatenate([v, v + [1, 0, 0]]).astype(np.float32)
    faces = np.concatenate([t, t + n * n]).astype(np.uint32)
    side = np.repeat([0.0, 5.0], len(t))[:, None, None]
    uv = (both[faces][..., :2] + side).astype(np.float32)
    sheet = MeshPart(MeshSurface("sheet"), both, faces, uv, None)
    made = reduced(Mesh((sheet, ball(4).parts[0])), 3000)
    flat, round_ = made.parts
    share = len(faces) / (len(faces) + 5120)
    assert len(flat.triangles) <= 3000 * share + 2 and len(round_.triangles) == pytest.approx(
        3000 * (1 - share), rel=0.1
    )
    right = flat.vertices[flat.triangles][..., 0].mean(1) > 1
    whole = (flat.vertices[flat.triangles][..., 0].max(1) <= 1.001) | (
        flat.vertices[flat.triangles][..., 0].min(1) >= 0.999
    )
    assert (flat.uv[whole & right][..., 0] > 5.9).all() and (flat.uv[whole & ~right][..., 0] < 1.1).all()


@pytest.mark.parametrize(("to", "words"), [(90000, "no more than 90,000"), (2, "need 4 triangles")])
def test_what_cannot_be_reduced_says_so(to: int, words: str) -> None:
    with pytest.raises(PlaceError, match=words):
        reduced(ball(), to)


def test_command_brings_fewer_triangles(tmp_path: Path, marsh: Ground) -> None:
    path, out = written(tmp_path / "a.zip", small_place(), marsh), tmp_path / "b.zip"
    (tmp_path / "ball.stl").write_bytes(trimesh.creation.icosphere(subdivisions=5).export(file_type="stl"))
    args = ["bring", str(path), str(tmp_path / "ball.stl"), "--out", str(out), "--unit", "m", "--reduce", "1000"]
    done = CliRunner().invoke(app, args)
    assert done.exit_code == 0 and "ball: 1,000 triangles" in done.output
    place, assets = load(out)
    (thing,) = place.things
    assert thing.mesh.name == "ball.glb" and len(assets[thing.mesh.sha256]) < 100_000


def test_what_moves_by_itself_is_not_reduced() -> None:
    still = import_model({"ball.ply": trimesh.creation.icosphere(subdivisions=3).export(file_type="ply")})[0]
    assert triangles_of(still.reduced(200).mesh) == pytest.approx(200, abs=4)
    with pytest.raises(PlaceError, match="moves by itself"):
        replace(still, motions=(Motion("wag", 1.0),)).reduced(200)
