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
    from lumwick.picture import picture_at
    from lumwick.place.files import load
    from lumwick.plant_sheet import Sheet, frames_zip, sheet, silhouettes, stand_at
    from lumwick.trace.quality import QUALITIES
    from lumwick.trace.stage import Stage

    if not (1 <= month <= 13 and 0 <= grown <= 1 and 0.2 <= seconds <= 60):
        raise PlaceError("A month is 1 to 13, how far it has grown 0 to 1, and a clip 0.2 to 60 seconds long.")
    found = re.fullmatch(r"(\d{1,5})x(\d{1,5})", size)
    if not found or not 16 <= int(found[1]) <= 4096 or not 16 <= int(found[2]) <= 4096:
        raise PlaceError(f"A size is written like 640x480, of 16 to 4096 pixels, not {size!r}.")
    pixels = int(found[1]), int(found[2])
    document, _ = load(place)
    of = document.shot(shot) if shot else document.shots[0]
    one = stand_at(document, of, stand, at)
    blows = document.wind.speed if isinstance(document.wind.speed, float) else 4.0
    speed = blows if wind is None else wind
    asked = Sheet(month, grown, turn, speed, bare=silhouette, seconds=seconds)
    if not silhouette:
        setting, seen = sheet(one, asked, document)
        made = picture_at(Stage(setting), seen, 0.0, pixels, QUALITIES["study"])
        assert made is not None
        write_png(out, made.pixels)
    elif out.suffix == ".zip":
        out.write_bytes(frames_zip(silhouettes(one, asked, pixels)))
    else:
        frames = (frame[..., None].repeat(3, -1) for frame in silhouettes(one, asked, pixels))
        write_film(out, frames, RATES["24"])
    print(f"{one.name}: {out}")
