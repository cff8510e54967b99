"""The commands of ``lumwick`` about things: what is brought into a place."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Optional

import typer
from rich.console import Console

from lumwick.errors import PlaceError

app = typer.Typer()
say = Console(stderr=True)


@app.command()
def bring(
    place: Path,
    what: Annotated[Path, typer.Argument(help="A model, a folder or a zip.")],
    out: Annotated[Path, typer.Option(help="Place file to write.")],
    at: Annotated[str, typer.Option(help="East and north, in metres: 12,-4.")] = "0,0",
    unit: Annotated[Optional[str], typer.Option(help="What its numbers are in: m, cm, mm, in or ft.")] = None,
) -> None:
    """Bring models into a place, and set them down on its ground."""
    from lumwick.built.bring.bundle import read_from
    from lumwick.built.bring.taking import set_down, take_over
    from lumwick.picture import load_setting
    from lumwick.place.edits import fresh_id
    from lumwick.place.files import asset_of, load, pack

    try:
        east, north = (float(v) for v in at.split(","))
    except ValueError:
        raise PlaceError(f"A spot is written like 12,-4, not {at!r}.") from None
    document, assets = load(place)
    setting = load_setting((document, assets)).still()
    taken = take_over(*read_from(what))
    if unit is not None:
        taken = [one.in_unit(unit) for one in taken]
    ids: list[str] = []
    for _ in taken:
        ids.append(fresh_id([*(thing.id for thing in document.things), *ids], "model"))
    things = set_down(taken, ids, setting.stands_on, east, north)
    document.things.extend(things)
    assets |= {asset_of(one.file, one.data).sha256: one.data for one in taken}
    out.write_bytes(pack(document, assets))
    for one in taken:
        print(one.line())
        if one.guess.question and unit is None:
            say.print(f"{one.guess.question} Say --unit if it is not.")
