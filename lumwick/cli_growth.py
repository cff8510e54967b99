"""The commands of ``lumwick`` about what grows."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Annotated, Optional

import typer

from lumwick.errors import PlaceError

app = typer.Typer()


@app.command()
def plant(
    place: Path,
    stand: Annotated[str, typer.Argument(help="Id or name of the stand.")],
    out: Annotated[Path, typer.Option(help="A .png of it, or with --silhouette a .zip of frames or a .mp4.")],
    shot: Annotated[Optional[str], typer.Option(help="Of which shot; the first one.")] = None,
    at: Annotated[float, typer.Option(help="Clip time at which its settings are taken [s].")] = 0.0,
    month: Annotated[float, typer.Option(help="Of the year: 1 is the first of January, 6.5 mid June.")] = 7.0,
    grown: Annotated[float, typer.Option(help="How far it has grown, 0 to 1.")] = 1.0,
    turn: Annotated[float, typer.Option(help="From where one looks [degrees].")] = 0.0,
    wind: Annotated[Optional[float], typer.Option(help="Wind [m/s]; the place's.")] = None,
    seconds: Annotated[float, typer.Option(help="Length of the clip that closes [s].")] = 4.0,
    size: Annotated[str, typer.Option(help="Width and height in pixels.")] = "640x480",
    silhouette: Annotated[bool, typer.Option(help="Black on white, moving, as thrown shadows need it.")] = False,
) -> None:
    """One plant of a stand by itself: a picture on grey, or its moving silhouette."""
    from lumwick.deliver.film import write_film
    from lumwick.deliver.stills import write_png
    from lumwick.motion.timebase import RATES
    from lumwick.picture import load_setting, picture_at
    from lumwick.place.files import load
    from lumwick.plant_sheet import Sheet, frames_zip, sheet, silhouettes, stand_at
    from lumwick.trace.quality import QUALITIES
    from lumwick.trace.stage import Stage

    if not (1 <= month < 13 and 0 <= grown <= 1 and 0.2 <= seconds <= 60):
        raise PlaceError("A month is 1 to 12.9, how far it has grown 0 to 1, and a clip 0.2 to 60 seconds long.")
    found = re.fullmatch(r"(\d{1,5})x(\d{1,5})", size)
    if not found or not 16 <= int(found[1]) <= 4096 or not 16 <= int(found[2]) <= 4096:
        raise PlaceError(f"A size is written like 640x480, of 16 to 4096 pixels, not {size!r}.")
    pixels = int(found[1]), int(found[2])
    document, assets = load(place)
    setting_of = load_setting((document, assets))
    of = document.shot(shot) if shot else document.shots[0]
    one = stand_at(document, of, stand, at)
    blows = document.wind.speed if isinstance(document.wind.speed, float) else 4.0
    speed = blows if wind is None else wind
    asked = Sheet(month, grown, turn, speed, bare=silhouette, seconds=seconds)
    if not silhouette:
        setting, seen = sheet(one, asked, setting_of)
        made = picture_at(Stage(setting), seen, 0.0, pixels, QUALITIES["study"])
        assert made is not None
        write_png(out, made.pixels)
    elif out.suffix == ".zip":
        out.write_bytes(frames_zip(silhouettes(one, asked, pixels, setting_of)))
    else:
        frames = (frame[..., None].repeat(3, -1) for frame in silhouettes(one, asked, pixels, setting_of))
        write_film(out, frames, RATES["24"])
    print(f"{one.name}: {out}")


@app.command()
def sow(
    place: Path,
    what: Annotated[Path, typer.Argument(help="A model of a plant, a folder or a zip.")],
    out: Annotated[Path, typer.Option(help="Place file to write.")],
    at: Annotated[str, typer.Option(help="East and north, in metres: 12,-4.")] = "0,0",
    unit: Annotated[Optional[str], typer.Option(help="What its numbers are in: m, cm, mm, in or ft.")] = None,
    leaves: Annotated[str, typer.Option(help="Surfaces or parts that are leaves, by commas; found if empty.")] = "",
    kind: Annotated[Optional[str], typer.Option(help="As which kind it moves.")] = None,
) -> None:
    """Sow a model of one's own as plants: a stand about a spot, that sways in the wind and keeps its foot still."""
    from lumwick.built.bring.bundle import read_from
    from lumwick.built.bring.importing import import_model
    from lumwick.picture import load_setting
    from lumwick.place.edits import apply, command
    from lumwick.place.files import load, pack
    from lumwick.snapshot.sowing import sown_from

    try:
        east, north = (float(v) for v in at.split(","))
    except ValueError:
        raise PlaceError(f"A spot is written like 12,-4, not {at!r}.") from None
    document, assets = load(place)
    setting = load_setting((document, assets)).still()
    taken = import_model(*read_from(what))
    said = [name.strip() for name in leaves.split(",") if name.strip()]
    stand, told = sown_from(setting, [one.in_unit(unit) for one in taken] if unit else taken, east, north, said)
    item = stand.model_dump(mode="json")
    if kind is not None:
        item["kind"] = kind
    made, label = apply(document, command({"op": "add", "to": "growth", "item": item}))
    out.write_bytes(pack(made, {**assets, taken[0].asset.sha256: taken[0].data}))
    print(f"{label}. {told}")


@app.command()
def leaf(
    place: Path,
    stand: Annotated[str, typer.Argument(help="Id or name of the stand.")],
    picture: Annotated[Path, typer.Argument(help="One leaf, its stalk below, on nothing or on one colour.")],
    out: Annotated[Path, typer.Option(help="Place file to write.")],
) -> None:
    """Give a stand's leaves the outline and colour of a leaf in a picture."""
    from lumwick.growth.form_cache import leaf_edit
    from lumwick.growth.leaf_picture import LEAF_SIDE, read_leaf
    from lumwick.place.edits import apply, command
    from lumwick.place.files import load, pack
    from lumwick.trace.textures import read_image

    document, assets = load(place)
    one = next((x for x in document.growth if stand in (x.id, x.name)), None)
    if one is None:
        raise PlaceError(f"There is no stand {stand!r} in this place.")
    told = read_leaf(read_image(picture.read_bytes(), picture.name, LEAF_SIDE)[0].astype(float))
    made, label = apply(document, command(leaf_edit(one, told, picture.name)))
    out.write_bytes(pack(made, assets))
    print(f"{label}: {told.outline}, {told.broad:g} times as broad as long, {told.colour}.")
