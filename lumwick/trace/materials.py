"""Materials of surfaces for the kernel, with their textures."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.built.meshes import MeshSurface
from lumwick.motion.colour import from_hex
from lumwick.place.fields import Asset
from lumwick.place.objects import Surface
from lumwick.trace import embree
from lumwick.trace.patterns import NAMES, NONE
from lumwick.trace.records import MATERIAL
from lumwick.trace.textures import CODE_TO_LINEAR, COLOUR, DATA, NORMAL, Pyramid, pyramid, read_image

Read = Callable[[Asset], bytes]


def plain_material(colour: Any = (0.5, 0.5, 0.5), roughness: float = 1.0) -> NDArray[np.void]:
    """The material of a model of one colour, without gloss if ``roughness`` is 1: refraction 1 reflects nothing."""
    material = np.zeros((), MATERIAL)
    material["base"] = colour
    material["roughness"], material["ior"], material["scale"], material["normal_scale"] = (
        roughness,
        1.0 if roughness >= 1 else 1.5,
        1.0,
        1.0,
    )
    for name in ("base_map", "normal_map", "rough_map", "emission_map", "corners", "lamp"):
        material[name] = -1
    return material


def ray_mask(material: NDArray[np.void]) -> int:
    """Which rays meet a model of this material; its mesh and its placement must both have it."""
    return (
        embree.MASK_CLEAR
        if material["transmission"] > 0
        else (embree.MASK_CUT if material["cutoff"] > 0 else embree.MASK_SOLID)
    )


MAKERS = ThreadPoolExecutor(2, "textures")


class Textures:
    """The textures of a stage, each kept once; several are made at a time."""

    def __init__(self) -> None:
        self._made: list[Future[Pyramid]] = []
        self._numbers: dict[Any, int] = {}
        self.notes: list[str] = []

    @property
    def kept(self) -> list[Pyramid]:
        """All of them, once they are made.

        Raises
        ------
        RenderError
            One cannot be read.
        """
        return [one.result() for one in self._made]

    def number(self, key: Any, holds: int, pixels: Any) -> int:
        """The number of a texture; ``pixels`` is called for its RGBA codes (0 to 1) if it is new."""
        key = (key, holds)
        if key not in self._numbers:
            self._numbers[key] = len(self._made)
            self._made.append(MAKERS.submit(pyramid, pixels(), holds))
        return self._numbers[key]

    def image(self, read: Read, asset: Asset) -> NDArray[np.float32]:
        pixels, note = read_image(read(asset), asset.name)
        if note and note not in self.notes:
            self.notes.append(note)
        return pixels


def _fitted(image: NDArray[np.float32], like: NDArray[np.float32]) -> NDArray[np.float32]:
    """The nearest pixels of an image on another's grid."""
    h, w = like.shape[:2]
    return np.asarray(image[(np.arange(h) * image.shape[0] // h)[:, None], (np.arange(w) * image.shape[1] // w)[None]])


def surface_material(read: Read, surface: Surface, textures: Textures) -> NDArray[np.void]:
    """A surface's row for the kernel; glow and wetness are set at each instant."""
    material = plain_material(from_hex(surface.colour), min(surface.roughness, 0.9999))
    material["second"] = from_hex(surface.second)
    material["metalness"] = surface.metalness
    material["coat"], material["coat_roughness"] = surface.coat, surface.coat_roughness
    material["transmission"], material["ior"], material["thin"] = surface.clear, surface.refraction, float(surface.pane)
    material["absorption"] = surface.depth_tint * (1 - material["base"])
    material["translucency"] = surface.through * material["base"]
    material["base"] *= 1 - surface.through
    material["cutoff"] = surface.cut
    material["pattern"], material["scale"] = NAMES.index(surface.pattern), surface.scale
    material["relief"] = material["normal_scale"] = surface.relief
    material["turn"], material["boxed"] = np.radians(surface.turn), float(surface.boxed)
    material["offset"] = surface.shift_u, surface.shift_v
    material["toned"] = 1.0 if material["pattern"] == NONE else 0.0

    def colour() -> NDArray[np.float32]:
        assert surface.colour_map or surface.opacity_map
        if surface.colour_map is None:
            assert surface.opacity_map is not None
            opacity = textures.image(read, surface.opacity_map)
            return np.concatenate([np.ones_like(opacity[..., :3]), opacity[..., :1]], -1)
        image = textures.image(read, surface.colour_map)
        if surface.opacity_map is not None:
            image = np.concatenate(
                [image[..., :3], _fitted(textures.image(read, surface.opacity_map), image)[..., :1]], -1
            )
        return image

    def rough() -> NDArray[np.float32]:
        first = textures.image(read, surface.rough_map or surface.metal_map)  # type: ignore[arg-type]
        out = np.ones_like(first)
        if surface.rough_map is not None:
            out[..., 1] = first[..., 0]
        if surface.metal_map is not None:
            out[..., 2] = _fitted(textures.image(read, surface.metal_map), first)[..., 0]
        return out

    def sha(*assets: Asset | None) -> tuple[str, ...]:
        return tuple(a.sha256 if a else "" for a in assets)

    if surface.colour_map or surface.opacity_map:
        material["base_map"] = textures.number(sha(surface.colour_map, surface.opacity_map), COLOUR, colour)
    else:
        material["cutoff"] = 0.0  # there is no opacity to cut by
    if surface.normal_map:
        normal_map = surface.normal_map
        material["normal_map"] = textures.number(sha(normal_map), NORMAL, lambda: textures.image(read, normal_map))
    if surface.rough_map or surface.metal_map:
        material["rough_map"] = textures.number(sha(surface.rough_map, surface.metal_map), DATA, rough)
    if surface.glow_map:
        glow_map = surface.glow_map
        material["emission_map"] = textures.number(sha(glow_map), COLOUR, lambda: textures.image(read, glow_map))
    return material


def mesh_material(own: MeshSurface, textures: Textures) -> NDArray[np.void]:
    """The row of a surface that came with a model."""
    material = plain_material(own.colour, min(own.roughness, 0.9999))
    material["metalness"], material["emission"], material["cutoff"] = (
        own.metalness,
        own.glow,
        own.cutoff if own.colour_map is not None else 0.0,
    )
    material["transmission"], material["thin"], material["relief"] = own.clear, float(own.thin), 1.0
    material["absorption"], material["coat"], material["coat_roughness"] = own.absorption, own.coat, own.coat_roughness
    if material["ior"] > 1:  # a matt surface without gloss keeps none
        material["ior"] = own.refraction
    for where, holds, image in (
        ("base_map", COLOUR, own.colour_map),
        ("normal_map", NORMAL, own.normal_map),
        ("rough_map", DATA, own.rough_map),
        ("emission_map", COLOUR, own.glow_map),
    ):
        if image is not None:
            material[where] = textures.number(id(image), holds, lambda image=image: image)
    return material


def mean_of(own: MeshSurface) -> NDArray[np.float64]:
    """Mean linear colour of a surface's texture where it is not open; 1 if it has none."""
    if own.colour_map is None:
        return np.ones(3)
    some = own.colour_map[:: max(1, own.colour_map.shape[0] // 64), :: max(1, own.colour_map.shape[1] // 64)]
    covers = some[..., 3:].astype(float)
    light = CODE_TO_LINEAR[some[..., :3]] * covers
    return np.asarray(light.sum((0, 1)) / max(float(covers.sum()), 1e-9), float)
