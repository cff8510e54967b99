"""Plants as models, as somebody would bring them: a stem with branches, and leaves that are cut out of a picture."""

from __future__ import annotations

import numpy as np
from PIL import Image, ImageDraw

from lumwick.built.gltf_out import glb_of
from lumwick.built.meshes import Mesh, MeshPart, MeshSurface

GREEN = (70, 110, 38)


def leaf_picture(open_colour: tuple[int, int, int] = (255, 255, 255), alpha: int = 0) -> Image.Image:
    """A leaf, its stalk below, on ``open_colour``."""
    image = Image.new("RGBA", (64, 128), (*open_colour, alpha))
    draw = ImageDraw.Draw(image)
    draw.ellipse([8, 10, 55, 109], fill=(*GREEN, 255))
    draw.rectangle([31, 105, 32, 127], fill=(*GREEN, 255))
    return image


def tube(path: np.ndarray, radius: np.ndarray, sides: int = 8) -> tuple[np.ndarray, np.ndarray]:
    """Vertices and triangles of a tube along points (n, 3)."""
    way = path[-1] - path[0]
    way = way / np.linalg.norm(way)
    side = np.cross(way, [0.3, 0.9, 0.1])
    side /= np.linalg.norm(side)
    over, turn = np.cross(way, side), np.arange(sides) * 2 * np.pi / sides
    ring = np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * over
    vertices = (path[:, None] + radius[:, None, None] * ring).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(len(path) - 1) * sides, np.arange(sides), indexing="ij")
    p, q = (i + j).ravel(), (i + (j + 1) % sides).ravel()
    return vertices, np.concatenate([np.stack([p, q, q + sides], 1), np.stack([p, q + sides, p + sides], 1)])


def sapling(leaves: int = 300, height: float = 3.0, one_surface: bool = False, seed: int = 1) -> Mesh:
    """A sapling: wood, and cards with a leaf each; all of one plain surface if one asks for that."""
    rng = np.random.default_rng(seed)
    some = [tube(np.array([[0, 0, z] for z in (0, 0.4 * height, height)]), np.array([0.1, 0.05, 0.01]))]
    limbs = []
    for _ in range(12):
        at, turn = np.array([0, 0, height * rng.uniform(0.35, 0.9)]), rng.uniform(0, 2 * np.pi)
        end = at + height * 0.35 * np.array([np.cos(turn), np.sin(turn), 0.4])
        some.append(tube(np.stack([at, (at + end) / 2, end]), np.array([0.03, 0.02, 0.006]), 5))
        limbs.append((at, end))
    starts = np.cumsum([0, *(len(v) for v, _ in some)])
    wood = (
        np.concatenate([v for v, _ in some]),
        np.concatenate([t + s for (_, t), s in zip(some, starts, strict=False)]),
    )
    v, t, uv = [], [], []
    for k in range(leaves):
        at, end = limbs[k % len(limbs)]
        base = at + (end - at) * rng.uniform(0.3, 1.0)
        way = (end - at) / np.linalg.norm(end - at) + rng.normal(size=3) * 0.7
        way *= 0.14 / np.linalg.norm(way)
        side = np.cross(way, rng.normal(size=3))
        side *= 0.035 / np.linalg.norm(side)
        v += [base - side, base + side, base + way + side, base + way - side]
        t += [[4 * k, 4 * k + 1, 4 * k + 2], [4 * k, 4 * k + 2, 4 * k + 3]]
        uv += [[[0, 0], [1, 0], [1, 1]], [[0, 0], [1, 1], [0, 1]]]
    bark = MeshSurface("bark", (0.12, 0.09, 0.06), 0.8)
    leaf = (
        bark if one_surface else MeshSurface("green", (1, 1, 1), 0.6, cutoff=0.5, colour_map=np.asarray(leaf_picture()))
    )
    return Mesh(
        (
            MeshPart(bark, wood[0].astype(np.float32), wood[1].astype(np.uint32), None, None, "Wood"),
            MeshPart(
                leaf,
                np.array(v, np.float32),
                np.array(t, np.uint32),
                None if one_surface else np.array(uv, np.float32),
                None,
                "Leaves",
            ),
        )
    )


def sapling_file(**more: float) -> bytes:
    """The same as a binary glTF."""
    return glb_of(sapling(**more), "Sapling")  # type: ignore[arg-type]
