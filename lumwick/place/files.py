"""The open place file: ``place.json`` and its assets, in a zip; or the bare document with assets beside it."""

from __future__ import annotations

import hashlib
import io
import zipfile
from pathlib import Path
from typing import Any

import shapely
from pydantic import ValidationError

from lumwick.errors import PlaceError
from lumwick.place.document import FORMAT, VERSION, Place
from lumwick.place.fields import Asset, most
from lumwick.place.growing import PLANTS_AT_MOST
from lumwick.place.instant import check_following
from lumwick.place.versions import KNOWN, newest
from lumwick.strangers import json_of, refuse_wild, unzipped

DOCUMENT = "place.json"
ASSET_BYTES_AT_MOST = 500_000_000
MAPS = ("colour_map", "normal_map", "rough_map", "metal_map", "opacity_map", "glow_map")
"""A surface's textures."""


def asset_of(name: str, data: bytes) -> Asset:
    """How a document refers to these bytes."""
    return Asset(sha256=hashlib.sha256(data).hexdigest(), name=name, bytes=len(data))


def explain(error: ValidationError) -> str:
    """The first fault of a document, in one sentence."""
    fault = error.errors()[0]
    where = ".".join(str(p) for p in fault["loc"] if not (isinstance(p, str) and p in ("constant", "channel")))
    text = fault["msg"].removeprefix("Value error, ")
    more = f" (and {error.error_count() - 1} more)" if error.error_count() > 1 else ""
    return f"{where + ': ' if where else ''}{text}{more}."


def parse(data: Any) -> Place:
    """A place from plain JSON data.

    Raises
    ------
    PlaceError
        Not a place, of an unknown version, or with something out of range.
    """
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise PlaceError("This is not a place file: it does not say that its format is lumwick-place.")
    refuse_wild(data, "The place")
    version = data.get("version")
    if not isinstance(version, int) or version not in KNOWN:
        raise PlaceError(
            f"This place file is of version {version!r}, and version {VERSION} "
            "is the newest known here: open it with a newer Lumwick."
        )
    try:
        place = Place.model_validate(newest(data, version))
    except RecursionError:
        raise PlaceError("The place cannot be used: what it holds lies too deep in itself.") from None
    except ValidationError as error:
        raise PlaceError(f"The place cannot be used: {explain(error)}") from error
    check_amount(place)
    check_following(place)
    return place


def check_amount(place: Place) -> None:
    """Refuse densities that no area could make filmable (areas are checked when plants are set out)."""

    total = 0.0
    for stand in place.growth:
        if len(stand.area) >= 3:
            total += shapely.Polygon(stand.area).area / 1e4 * most(stand.per_hectare)
    if total > PLANTS_AT_MOST:
        raise PlaceError(
            f"The place would hold {total:,.0f} plants: at most "
            f"{PLANTS_AT_MOST:,} can be filmed. Lower a stand's density or "
            "area."
        )


def pack(place: Place, assets: dict[str, bytes]) -> bytes:
    """A place file with its assets, the same bytes every time."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as z:
        for name, data in [(DOCUMENT, place.model_dump_json(indent=1).encode())] + [
            (f"assets/{sha}", assets[sha]) for sha in sorted(assets)
        ]:
            z.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    return buffer.getvalue()


def needed(place: Place) -> list[Asset]:
    """The assets a place refers to, each once."""
    every = [
        place.land.elevation,
        place.cut.develop.lut,
        place.surround.picture,
        *(thing.mesh for thing in place.things),
        *(stand.own.mesh for stand in place.growth if stand.own),
        *(lamp.distribution for lamp in place.lamps),
        *(
            held
            for gobo in (place.sun_gobo, *(x.gobo for x in place.lamps))
            if gobo
            for held in (gobo.picture, gobo.film)
        ),
        *(shot.develop.lut for shot in place.shots),
        *(shot.route.track for shot in place.shots),
        *(getattr(surface, name) for surface in place.surfaces for name in MAPS),
    ]
    return list({asset.sha256: asset for asset in every if asset is not None}.values())


def unpack(data: bytes, beside: Path | None = None) -> tuple[Place, dict[str, bytes]]:
    """A place and its assets from a place file.

    Parameters
    ----------
    data : bytes
        A zip, or the bare JSON document.
    beside : Path
        Folder in which a bare document's assets lie, by name or digest.

    Raises
    ------
    PlaceError
        The file cannot be used, or an asset is missing or changed.
    """
    document, assets = _unzipped(data) if data[:2] == b"PK" else (data, {})
    raw = json_of(document, "This place file")
    place = parse(raw)
    return place, {asset.sha256: _asset(asset, assets, beside) for asset in needed(place)}


def _unzipped(data: bytes) -> tuple[bytes, dict[str, bytes]]:
    """The document of a zip, and its assets by digest."""

    def wanted(path: str) -> bool:
        return path == DOCUMENT or path.startswith("assets/")

    held = dict(unzipped(data, "This place file", bytes_at_most=ASSET_BYTES_AT_MOST, wanted=wanted))
    if DOCUMENT not in held:
        raise PlaceError("This zip is not a place file: there is no place.json in it.")
    return held.pop(DOCUMENT), {path.removeprefix("assets/"): one for path, one in held.items()}


def _asset(asset: Asset, assets: dict[str, bytes], beside: Path | None) -> bytes:
    """An asset's bytes: from the zip, or from a file beside a bare document."""
    found = assets.get(asset.sha256)
    if found is None and beside is not None:
        near = (beside / asset.name, beside / "assets" / asset.sha256)
        found = next((path.read_bytes() for path in near if path.is_file()), None)
    if found is None:
        raise PlaceError(
            f"The asset {asset.name} is missing from the place file: export the place again with its assets."
        )
    if hashlib.sha256(found).hexdigest() != asset.sha256:
        raise PlaceError(f"The asset {asset.name} is not the one the place was made with: its contents differ.")
    return found


def load(path: str | Path) -> tuple[Place, dict[str, bytes]]:
    """A place file from disk."""
    path = Path(path)
    if not path.is_file():
        raise PlaceError(f"There is no file {path}.")
    return unpack(path.read_bytes(), path.parent)


def schema() -> dict[str, Any]:
    """The published JSON Schema of the document."""
    made = Place.model_json_schema()
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Lumwick place",
        **{k: v for k, v in made.items() if k != "title"},
    }
