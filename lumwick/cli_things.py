"""The commands of ``lumwick`` about things: what is brought into a place."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Optional

import typer
from rich.console import Console

from lumwick.errors import PlaceError

if TYPE_CHECKING:
    pass

app = typer.Typer()
say = Console(stderr=True)


@app.command()
def bring(
    place: Path,
    what: Annotated[Path, typer.Argument(help="A model, a folder or a zip.")],
    out: Annotated[Path, typer.Option(help="Place file to write.")],
    at: Annotated[str, typer.Option(help="East and north, in metres: 12,-4.")] = "0,0",
    unit: Annotated[Optional[str], typer.Option(help="What its numbers are in: m, cm, mm, in or ft.")] = None,
    tile: Annotated[Optional[float], typer.Option(help="Metres that a set of textures covers.")] = None,
    reduce: Annotated[Optional[int], typer.Option(help="Triangles that each model is to have at most.")] = None,
    up: Annotated[Optional[str], typer.Option(help="Which axis of an OBJ, PLY or STL file points up: y or z.")] = None,
) -> None:
    """Bring models into a place, and set them down on its ground."""
    from lumwick.built.bring.bundle import read_from
    from lumwick.built.bring.importing import import_model, set_down
    from lumwick.built.bring.texture_set import texture_sets
    from lumwick.built.reduced import triangles_of
    from lumwick.picture import load_setting
    from lumwick.place.edits import fresh_id
    from lumwick.place.files import load, pack

    try:
        east, north = (float(v) for v in at.split(","))
    except ValueError:
        raise PlaceError(f"A spot is written like 12,-4, not {at!r}.") from None
    if up not in (None, "y", "z"):
        raise PlaceError(f"The axis that points up is y or z, not {up!r}.")
    document, assets = load(place)
    setting = load_setting((document, assets)).still()
    files, names = read_from(what)
    if not names:
        made = texture_sets(files, [s.id for s in document.surfaces], tile)
        document.surfaces.extend(one.surface for one in made)
        for one in made:
            assets |= one.files
            print(f"{one.surface.name}: a surface of {len(one.files)} textures{''.join(f'; {n}' for n in one.notes)}.")
        out.write_bytes(pack(document, assets))
        return
    taken = import_model(files, names, None if up is None else up == "y")
    if unit is not None:
        taken = [one.in_unit(unit) for one in taken]
    if reduce is not None:
        taken = [one.reduced(reduce) if triangles_of(one.mesh) > reduce else one for one in taken]
    ids: list[str] = []
    for _ in taken:
        ids.append(fresh_id([*(thing.id for thing in document.things), *ids], "model"))
    things = set_down(taken, ids, setting.stands_on, east, north)
    document.things.extend(things)
    assets |= {one.asset.sha256: one.data for one in taken}
    out.write_bytes(pack(document, assets))
    for model in taken:
        print(model.line())
        if model.guess.question and unit is None:
            say.print(f"{model.guess.question} Say --unit if it is not.")


@app.command()
def throw(
    place: Path,
    thing: Annotated[str, typer.Argument(help="Id or name of a model or shape.")],
    out: Annotated[Path, typer.Option(help="Place file to write.")],
    shot: Annotated[Optional[str], typer.Option(help="Id or name; the first if left out.")] = None,
    t: Annotated[float, typer.Option(help="Clip time, in seconds.")] = 0.0,
    speed: Annotated[float, typer.Option(help="Metres a second.")] = 6.0,
    bearing: Annotated[float, typer.Option(help="Towards, in degrees from north.")] = 0.0,
    rise: Annotated[float, typer.Option(help="Upwards, in degrees.")] = 35.0,
    bounce: Annotated[float, typer.Option(help="Share of its speed that a bounce leaves.")] = 0.55,
    drag: Annotated[float, typer.Option(help="Of rolling, as a share of its weight; where it is round.")] = 0.04,
    spin: Annotated[float, typer.Option(help="Turns a second forwards; where it is not round.")] = 1.0,
    grip: Annotated[float, typer.Option(help="Of sliding, as a share of its weight; where it is not round.")] = 0.5,
) -> None:
    """Throw something from where it is: keys of its flight, its bounces, and how it rolls or tumbles until it lies."""
    from pydantic import ValidationError

    from lumwick.motion.throwing import Throw
    from lumwick.picture import load_setting
    from lumwick.place.edits import apply, command
    from lumwick.place.files import explain, load, pack
    from lumwick.snapshot.thrown import throw_edit

    document, assets = load(place)
    setting = load_setting((document, assets))
    thrown = next((x for x in document.things if thing in (x.id, x.name)), None)
    if thrown is None:
        raise PlaceError(f"There is no model {thing!r} in this place.")
    try:
        said = Throw(speed=speed, bearing=bearing, rise=rise, bounce=bounce, drag=drag, spin=spin, grip=grip)
    except ValidationError as error:
        raise PlaceError(f"It cannot be thrown so: {explain(error)}") from None
    of = document.shot(shot) if shot else document.shots[0]
    made, label = apply(document, command(throw_edit(setting, of, thrown.id, said, t)))
    out.write_bytes(pack(made, assets))
    print(f"{label}.")


@app.command()
def hand_on(
    place: Path,
    out: Annotated[Path, typer.Option(help="FILE.usd, .usdc, .usda or .glb.")],
    shot: Annotated[Optional[str], typer.Option(help="Id or name; the first if left out.")] = None,
    frames: Annotated[Optional[str], typer.Option(help="Like 1-48; all if left out.")] = None,
    within: Annotated[
        Optional[float], typer.Option(help="Metres about the camera's way; everything if left out.")
    ] = None,
    parts: Annotated[str, typer.Option(help="Of ground, water, plants, built, things, lamps, cameras.")] = "",
    told: Annotated[bool, typer.Option("--told", help="Say how large it will be, and write nothing.")] = False,
) -> None:
    """Hand the whole place on as it moves: USD, or glTF with plants as they stand when it starts."""
    from lumwick.deliver.whole import ENDINGS, KINDS, Range, gather, hand_on, told_size
    from lumwick.picture import load_setting
    from lumwick.place.files import load

    suffix = out.suffix.lower()
    if suffix not in ENDINGS:
        *most, last = (ending[1:] for ending in ENDINGS)
        raise PlaceError(f"A place is handed on as {', '.join(most)} or {last}, not {suffix or 'without an ending'}.")
    setting = load_setting(load(place))
    the_shot = setting.place.shot(shot) if shot else setting.place.shots[0]
    begin, end = _numbers(frames, the_shot.frames)
    kinds = tuple(p.strip() for p in parts.split(",") if p.strip()) or KINDS
    span = Range(begin, end, within, kinds)
    size = told_size(setting, the_shot, span, suffix)
    say.print(size.words)
    if told:
        return
    print(f"{out}: {hand_on(gather(setting, the_shot, span), out) / 1e6:,.1f} MB")


def _numbers(text: str | None, last: int) -> tuple[int, int]:
    """First and last frame of a range like 1-48."""
    if text is None:
        return 1, last
    a, _, b = text.partition("-")
    try:
        return int(a), int(b or a)
    except ValueError:
        raise PlaceError(f"Frames are written like 1-48, not {text!r}.") from None


@app.command()
def attach(
    place: Path,
    path: Annotated[
        str,
        typer.Argument(
            help="The field that takes the file: /surround/picture, /cut/develop/lut, /lamps/ID/distribution, "
            "/lamps/ID/gobo/film, /surfaces/ID/colour_map and the like."
        ),
    ],
    file: Annotated[Path, typer.Argument(help="An .hdr or .exr sky, a .cube table, an .ies file, a film, a picture.")],
    out: Annotated[Path, typer.Option(help="Place file to write.")],
) -> None:
    """Give a field its file: a sky picture, a look-up table, a lamp's light, a gobo, a texture."""
    from lumwick.place.edits import apply, command
    from lumwick.place.files import asset_of, load, pack
    from lumwick.taking_in import checked

    document, assets = load(place)
    if not file.is_file():
        raise PlaceError(f"There is no file {file}.")
    data = file.read_bytes()
    note = checked(file.name, data, path)
    asset = asset_of(file.name, data)
    document, label = apply(document, command({"op": "set", "path": path, "value": asset.model_dump()}))
    out.write_bytes(pack(document, {**assets, asset.sha256: data}))
    print(f"{label}{'. ' if note else ''}{note}")


@app.command("add-shot")
def add_shot(
    place: Path,
    name: Annotated[str, typer.Argument(help="What it is called.")],
    out: Annotated[Path, typer.Option(help="Place file to write.")],
    seconds: Annotated[float, typer.Option(help="How long it is.")] = 12.0,
    fps: Annotated[str, typer.Option(help="Frames a second: 24, 25, 29.97 and the like.")] = "24",
) -> None:
    """Begin a shot from nothing; `lay` gives it its way."""
    from pydantic import ValidationError

    from lumwick.motion.timebase import RATES
    from lumwick.place.document import Shot
    from lumwick.place.edits import apply, command, fresh_id
    from lumwick.place.files import explain, load, pack

    document, assets = load(place)
    if fps not in RATES:
        raise PlaceError(f"{fps!r} is no frame rate in use: choose {', '.join(RATES)}.")
    try:
        shot = Shot(
            id=fresh_id([one.id for one in document.shots], "shot"),
            name=name,
            fps=fps,
            frames=max(1, round(seconds * float(RATES[fps]))),
            clock=document.shots[0].clock,
        )
    except (ValidationError, OverflowError, ValueError) as error:
        raise PlaceError(
            f"This shot cannot begin: {explain(error) if isinstance(error, ValidationError) else error}"
        ) from None
    document, _ = apply(document, command({"op": "add_shot", "shot": shot.model_dump(mode="json")}))
    out.write_bytes(pack(document, assets))
    print(f"{shot.id}: {shot.name}, {shot.frames} frames")
