"""How surfaces look to the kernel, with their textures."""

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
from lumwick.trace.records import SURFACE
from lumwick.trace.textures import CODE_TO_LINEAR, COLOUR, DATA, NORMAL, Pyramid, pyramid, read_image

Read = Callable[[Asset], bytes]


def plain_material(colour: Any = (0.5, 0.5, 0.5), roughness: float = 1.0) -> NDArray[np.void]:
    """The look of a model of one colour, without gloss if ``roughness`` is 1: refraction 1 reflects nothing."""
    look = np.zeros((), SURFACE)
    look["base"] = colour
    look["roughness"], look["ior"], look["scale"], look["normal_scale"] = (
        roughness,
        1.0 if roughness >= 1 else 1.5,
        1.0,
        1.0,
    )
    for name in ("base_map", "normal_map", "rough_map", "emission_map", "corners", "lamp"):
        look[name] = -1
    return look


def ray_mask(look: NDArray[np.void]) -> int:
    """Which rays meet a model of this look; its mesh and its placement must both have it."""
    return (
        embree.MASK_CLEAR
        if look["transmission"] > 0
        else (embree.MASK_CUT if look["cutoff"] > 0 else embree.MASK_SOLID)
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


def surface_look(read: Read, surface: Surface, textures: Textures) -> NDArray[np.void]:
    """A surface's row for the kernel; glow and wetness are set at each instant."""
    look = plain_material(from_hex(surface.colour), min(surface.roughness, 0.9999))
    look["second"] = from_hex(surface.second)
    look["metalness"], look["coat"], look["coat_roughness"] = surface.metalness, surface.coat, surface.coat_roughness
    look["transmission"], look["ior"], look["thin"] = surface.clear, surface.refraction, float(surface.pane)
    look["absorption"] = surface.depth_tint * (1 - look["base"])
    look["translucency"] = surface.through * look["base"]
    look["base"] *= 1 - surface.through
    look["cutoff"], look["pattern"], look["scale"] = surface.cut, NAMES.index(surface.pattern), surface.scale
    look["relief"] = look["normal_scale"] = surface.relief
    look["turn"], look["boxed"] = np.radians(surface.turn), float(surface.boxed)
    look["offset"] = surface.shift_u, surface.shift_v
    look["toned"] = 1.0 if look["pattern"] == NONE else 0.0

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
        look["base_map"] = textures.number(sha(surface.colour_map, surface.opacity_map), COLOUR, colour)
    else:
        look["cutoff"] = 0.0  # there is no opacity to cut by
    if surface.normal_map:
        normal_map = surface.normal_map
        look["normal_map"] = textures.number(sha(normal_map), NORMAL, lambda: textures.image(read, normal_map))
    if surface.rough_map or surface.metal_map:
        look["rough_map"] = textures.number(sha(surface.rough_map, surface.metal_map), DATA, rough)
    if surface.glow_map:
        glow_map = surface.glow_map
        look["emission_map"] = textures.number(sha(glow_map), COLOUR, lambda: textures.image(read, glow_map))
    return look


def mesh_look(own: MeshSurface, textures: Textures) -> NDArray[np.void]:
    """The row of a surface that came with a model."""
    look = plain_material(own.colour, min(own.roughness, 0.9999))
    look["metalness"], look["emission"], look["cutoff"] = (
        own.metalness,
        own.glow,
        own.cutoff if own.colour_map is not None else 0.0,
    )
    look["transmission"], look["thin"], look["relief"] = own.clear, float(own.thin), 1.0
    look["absorption"], look["coat"], look["coat_roughness"] = own.absorption, own.coat, own.coat_roughness
    if look["ior"] > 1:  # a matt surface without gloss keeps none
        look["ior"] = own.refraction
    for where, holds, image in (
        ("base_map", COLOUR, own.colour_map),
        ("normal_map", NORMAL, own.normal_map),
        ("rough_map", DATA, own.rough_map),
        ("emission_map", COLOUR, own.glow_map),
    ):
        if image is not None:
            look[where] = textures.number(id(image), holds, lambda image=image: image)
    return look


def mean_of(own: MeshSurface) -> NDArray[np.float64]:
    """Mean linear colour of a surface's texture where it is not open; 1 if it has none."""
    if own.colour_map is None:
        return np.ones(3)
    some = own.colour_map[:: max(1, own.colour_map.shape[0] // 64), :: max(1, own.colour_map.shape[1] // 64)]
    covers = some[..., 3:].astype(float)
    light = CODE_TO_LINEAR[some[..., :3]] * covers
    return np.asarray(light.sum((0, 1)) / max(float(covers.sum()), 1e-9), float)
