"""A stranger's place taken in: each of its files read through and, where it holds geometry, written anew, so that
whatever opens the place later reads only what we wrote."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import PurePosixPath

import numpy as np

from lumwick.built.bring.plain import plain
from lumwick.built.gltf_out import glb_of
from lumwick.built.gobo_film import read_gobo_film
from lumwick.built.ies import read_ies
from lumwick.built.meshes import kind_of, read_mesh
from lumwick.develop.view import tabled
from lumwick.land.elevation import read_ground, write_elevation
from lumwick.place.document import Place
from lumwick.place.fields import Asset
from lumwick.place.files import MAPS, asset_of, needed
from lumwick.place.growing import OwnPlant
from lumwick.place.objects import Thing
from lumwick.route.track import read_track
from lumwick.trace.textures import read_image, read_panorama

UPRIGHT: dict[str, bool | None] = {"by the file": None, "y up": True, "z up": False}


def taken_in(place: Place, assets: dict[str, bytes]) -> tuple[Place, dict[str, bytes]]:
    """The same place with files of our own making, and those files by their digests.

    Raises
    ------
    LumwickError
        One of them is not what the place says it is.
    """
    place, made = place.model_copy(deep=True), dict(assets)

    def anew(asset: Asset, write: Callable[[bytes, str], bytes], ending: str) -> Asset:
        data = write(assets[asset.sha256], asset.name)
        new = asset_of(f"{PurePosixPath(asset.name).stem[:80] or 'file'}{ending}", data)
        made[new.sha256] = data
        return new

    place.land.elevation = anew(place.land.elevation, lambda data, _: write_elevation(read_ground(data)), ".tif")
    for shot in place.shots:
        if shot.route.track is not None:
            shot.route.track = anew(shot.route.track, lambda data, name: read_track(data, name).csv(), ".csv")
    models: list[Thing | OwnPlant] = [*place.things, *(stand.own for stand in place.growth if stand.own)]
    for one in models:
        if one.mesh is None:
            continue
        if kind_of(assets[one.mesh.sha256], one.mesh.name) in (".glb", ".gltf"):
            one.mesh = anew(one.mesh, _plainly, ".glb")
        else:
            one.mesh = anew(one.mesh, partial(_as_gltf, UPRIGHT[one.upright]), ".glb")
            one.upright = "by the file"
        read_mesh(made[one.mesh.sha256], one.mesh.name)
    _look_through(place, assets)
    return place, {asset.sha256: made[asset.sha256] for asset in needed(place)}


def _plainly(data: bytes, name: str) -> bytes:
    return plain(data, name, lambda _: None, [])


def _as_gltf(y_up: bool | None, data: bytes, name: str) -> bytes:
    return glb_of(read_mesh(data, name, y_up), name)


def _look_through(place: Place, assets: dict[str, bytes]) -> None:
    """Read each file that is kept as it is, by what the place says it is."""

    def read(asset: Asset | None, by: Callable[[bytes, str], object]) -> None:
        if asset is not None:
            by(assets[asset.sha256], asset.name)

    for develop in (place.cut.develop, *(shot.develop for shot in place.shots)):
        read(develop.lut, lambda data, _: tabled(np.zeros((1, 1, 3), np.float32), data, 1.0))
    read(place.surround.picture, read_panorama)
    for lamp in place.lamps:
        read(lamp.distribution, read_ies)
    for gobo in (place.sun_gobo, *(lamp.gobo for lamp in place.lamps)):
        if gobo is not None:
            read(gobo.picture, read_image)
            read(gobo.film, read_gobo_film)
    for surface in place.surfaces:
        for name in MAPS:
            read(getattr(surface, name), read_image)


def checked(name: str, data: bytes, path: str) -> str:
    """Try a field's file before it is kept; returns a word on what was mended.

    Raises
    ------
    LumwickError
        It cannot be used for this.
    """
    if path.endswith("/mesh"):
        return "; ".join(read_mesh(data, name).notes)
    if path.endswith("/distribution"):
        return f"It gives {read_ies(data, name).lumens():.0f} lm as it was measured."
    if path.endswith("/gobo/film") or path == "/sun_gobo/film":
        film = read_gobo_film(data, name)
        return f"{len(film.frames)} frames, {film.seconds:.3g} s."
    if path == "/surround/picture":
        return read_panorama(data, name)[1]
    if path.endswith("/lut"):
        tabled(np.zeros((1, 1, 3), np.float32), data, 1.0)
        return ""
    return read_image(data, name)[1]
