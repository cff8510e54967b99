"""Commands about a camera's way: check and mend it, bring a path in, hand cameras on."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Annotated, Any, Optional

import typer
from rich.console import Console

from lumwick.errors import LumwickError

app = typer.Typer()


def _opened(place: Path) -> tuple[Any, dict[str, bytes]]:
    from lumwick.picture import load_setting
    from lumwick.place.files import load

    loaded = load(place)
    return load_setting(loaded), loaded[1]


def _write(setting: Any, assets: dict[str, bytes], shot: Any, out: Path) -> None:
    from lumwick.place.files import needed, pack, parse

    place = parse(
        setting.place.model_copy(
            update={"shots": [shot if s.id == shot.id else s for s in setting.place.shots]}
        ).model_dump(mode="json")
    )
    out.write_bytes(pack(place, {a.sha256: assets[a.sha256] for a in needed(place)}))


@app.command()
def check(
    place: Path,
    shot: Annotated[str, typer.Option()],
    mend: Annotated[
        bool, typer.Option("--mend", help="Repair what can be repaired, and write the place to --out.")
    ] = False,
    out: Annotated[Optional[Path], typer.Option(help="Place file to write.")] = None,
) -> None:
    """The ride check of a camera's move, as JSON: what is wrong, when, and what would mend it."""
    from lumwick.snapshot.mend import mend_all
    from lumwick.snapshot.ride import check as ride_check

    if mend and out is None:
        raise LumwickError("Say where the mended place goes: --out FILE.")
    setting, assets = _opened(place)
    the_shot = setting.place.shot(shot)
    report = ride_check(setting, the_shot)
    if mend:
        assert out is not None
        mended, done = mend_all(setting, the_shot)
        _write(setting, assets, mended, out)
        report = {"before": report, "done": done, "after": ride_check(setting, mended)}
    print(json.dumps(report, indent=1))


@app.command()
def lay(
    place: Path,
    shot: Annotated[str, typer.Option(help="Id or name of the shot that gets the path.")],
    file: Annotated[Path, typer.Option(help="CSV, SVG, DXF, GPX, glTF or USD.")],
    out: Annotated[Path, typer.Option(help="Place file to write.")],
    unit: Annotated[
        str, typer.Option(help="Of the file's lengths, if it does not say: m, ft, cm …, or metres to the unit.")
    ] = "",
    path: Annotated[str, typer.Option(help="Name or number of one of several paths.")] = "",
    walk: Annotated[bool, typer.Option("--walk", help="On the ground at eye height.")] = False,
    height: Annotated[float, typer.Option(help="Metres over floor or water where the file has no heights.")] = 1.6,
    clock: Annotated[
        str, typer.Option(help="Of a track with times: whole (the shot gets its length), fit, pace, or 30x.")
    ] = "",
    here: Annotated[bool, typer.Option("--here", help="Lay a path that lies elsewhere here, as it lies.")] = False,
    stations: Annotated[
        bool, typer.Option("--stations", help="Turn a camera's path into a few stations instead of running it exactly.")
    ] = False,
) -> None:
    """Bring a path in as a shot's route."""
    from lumwick.deliver.paths_in import read_path
    from lumwick.motion.timebase import RATES
    from lumwick.place.files import asset_of
    from lumwick.snapshot.lay import CLOCKS, along_line, as_stations, as_track

    setting, assets = _opened(place)
    the_shot = setting.place.shot(shot)
    if not file.is_file():
        raise LumwickError(f"There is no file {file}.")
    found = read_path(
        file.read_bytes(), file.name, setting.still(the_shot).place.site, unit, path, float(RATES[the_shot.fps]), here
    )
    if found.track is not None and not walk:
        data = found.track.csv()
        asset = asset_of(f"{file.stem}.csv", data)
        assets = {**assets, asset.sha256: data}
        made = as_stations(the_shot, found.track) if stations else as_track(the_shot, asset, found.track)
    else:
        said = dict(zip(("whole", "fit", "pace"), CLOCKS, strict=True)).get(clock, clock)
        made = along_line(setting, the_shot, found.drawn, "walk" if walk else "fly", height, said)
    _write(setting, assets, made, out)
    print(
        json.dumps(
            {
                "place": str(out),
                "shot": made.id,
                "path": found.name,
                "way": made.route.way,
                "stations": len(made.route.stations),
                "frames": made.frames,
                **({"note": found.note} if found.note else {}),
            }
        )
    )


@app.command()
def export(
    place: Path,
    out: Annotated[Path, typer.Option(help="FILE.glb, .usd, .usda, .csv, .svg, .dxf or .gpx.")],
    shot: Annotated[Optional[str], typer.Option(help="Id or name; all shots if left out.")] = None,
) -> None:
    """Hand cameras on: everything by time in glTF, USD and CSV, the line alone in SVG, DXF and GPX."""
    from lumwick.deliver.paths_out import export as files_of
    from lumwick.route.camera_path import goes

    setting, _ = _opened(place)
    shots = [setting.place.shot(shot)] if shot else [s for s in setting.place.shots if goes(s.route)]
    if not shots:
        raise LumwickError("No shot of this place has a route to hand on.")
    files = files_of(setting, shots, out.name)
    out.parent.mkdir(parents=True, exist_ok=True)
    for name, data in files.items():
        (out.parent / name).write_bytes(data)
    print(json.dumps({"files": [str(out.parent / name) for name in files], "shots": [s.id for s in shots]}))


@app.command()
def film(
    place: Path,
    out: Annotated[Path, typer.Option(help="MP4 to write.")],
    size: Annotated[str, typer.Option()] = "1280x720",
    quality: Annotated[str, typer.Option(help="sketch, study or fine.")] = "study",
    frames: Annotated[Optional[str], typer.Option(help="Like 1-48; all if left out.")] = None,
) -> None:
    """Render the whole film as it is cut, as one MP4."""
    from rich.progress import Progress

    from lumwick.deliver.film import write_film
    from lumwick.motion.timebase import RATES
    from lumwick.picture import film_picture
    from lumwick.picture import quality as grade_of
    from lumwick.place.film import film_frames
    from lumwick.trace.film import blank
    from lumwick.trace.stage import Stage

    setting, _ = _opened(place)
    total = film_frames(setting.place)
    first, _, last = (frames or f"1-{total}").partition("-")
    if not (first.isdecimal() and (last or first).isdecimal() and 1 <= int(first) <= int(last or first) <= total):
        raise LumwickError(f"Frames are written like 1-48, and the film ends at {total}: {frames!r} does not fit.")
    found = re.fullmatch(r"(\d{1,5})x(\d{1,5})", size)
    if not found:
        raise LumwickError(f"A size is written like 1280x720, not {size!r}.")
    wanted, grade, stage = (int(found[1]), int(found[2])), grade_of(quality), Stage(setting)
    blank(*wanted)
    out.parent.mkdir(parents=True, exist_ok=True)
    with Progress(console=Console(stderr=True)) as progress:
        numbers = range(int(first), int(last or first) + 1)

        def pictures() -> Any:
            for n in progress.track(numbers, description=setting.place.name):
                yield film_picture(stage, n, wanted, grade)

        write_film(out, pictures(), RATES[setting.place.cut.fps])
    print(json.dumps({"film": str(out), "frames": len(numbers), "of": total}))


@app.command()
def still(
    place: Path,
    shot: Annotated[str, typer.Option()],
    out: Annotated[Path, typer.Option(help="PNG to write.")],
    frame: Annotated[int, typer.Option()] = 1,
    size: Annotated[
        str, typer.Option(help="Of a plain or side-by-side picture; of a panorama its width counts.")
    ] = "1280x720",
    quality: str = "study",
    panorama: Annotated[bool, typer.Option("--panorama", help="The whole sphere, equirectangular.")] = False,
    eyes: Annotated[
        float, typer.Option(help="Metres between two eyes: side by side, or one over the other in a panorama.")
    ] = 0.0,
    zero: Annotated[float, typer.Option(help="Metres to what lies on the screen.")] = 6.0,
) -> None:
    """One frame of a shot: plain, side-by-side stereo, or a panorama for one eye or two."""
    from lumwick.deliver.stills import write_png
    from lumwick.motion.timebase import RATES, frame_time
    from lumwick.picture import frame_picture
    from lumwick.picture import panorama as whole_sphere
    from lumwick.picture import quality as grade_of
    from lumwick.trace.stage import Stage

    setting, _ = _opened(place)
    the_shot = setting.place.shot(shot)
    found = re.fullmatch(r"(\d{1,5})x(\d{1,5})", size)
    if not found or not 1 <= frame <= the_shot.frames or not 0 <= eyes <= 10:
        raise LumwickError(
            "A size is written like 1280x720, a frame lies from 1 to "
            f"{the_shot.frames}, and eyes are at most 10 m apart."
        )
    stage = Stage(setting)
    if panorama:
        pixels = whole_sphere(
            stage, the_shot, frame_time(frame, RATES[the_shot.fps]), int(found[1]), grade_of(quality), eyes
        )
    else:
        seen = the_shot.model_copy(
            update={
                "exposure": the_shot.exposure.model_copy(update={"eyes": eyes, "zero_plane": zero} if eyes > 0 else {})
            }
        )
        picture = frame_picture(stage, seen, frame, (int(found[1]), int(found[2])), grade_of(quality))
        assert picture is not None
        pixels = picture.pixels
    out.parent.mkdir(parents=True, exist_ok=True)
    write_png(out, pixels)
    print(json.dumps({"still": str(out), "width": pixels.shape[1], "height": pixels.shape[0]}))
