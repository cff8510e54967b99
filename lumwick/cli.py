"""``lumwick``: the whole core without a browser."""

from __future__ import annotations

import datetime as dt
import json
import os
import sys
import tempfile
import traceback
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Annotated, Any, NoReturn, Optional

import typer
from rich.console import Console
from rich.progress import Progress, TimeElapsedColumn, TimeRemainingColumn

from lumwick import cli_air, cli_growth, cli_route, cli_things, cli_time, cli_water
from lumwick.errors import LumwickError

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Make natural and built places live, and film them.",
)
app.add_typer(cli_time.app)
app.add_typer(cli_route.app)
app.add_typer(cli_things.app)
app.add_typer(cli_water.app)
app.add_typer(cli_growth.app)
app.add_typer(cli_air.app)
say = Console(stderr=True)


class BadInput(LumwickError):
    """An option that cannot be used."""


def _frames(text: str, last: int) -> list[int]:
    out: list[int] = []
    for part in text.split(","):
        a, _, b = part.partition("-")
        try:
            first, final = int(a), int(b or a)
        except ValueError:
            raise BadInput(f"Frames are written like 1-48 or 1,5,9, not {text!r}.") from None
        if not 1 <= first <= final:
            raise BadInput(f"The frames {part} are not in order, or start before 1.")
        if final > last:
            raise BadInput(f"Frame {final} is past the shot's last, {last}.")
        out += range(first, final + 1)
    return out


def _size(text: str) -> tuple[int, int]:
    try:
        w, h = (int(v) for v in text.lower().split("x"))
    except ValueError:
        raise BadInput(f"A size is written like 1280x720, not {text!r}.") from None
    if w < 1 or h < 1:
        raise BadInput(f"A picture of {w}x{h} has no pixels: give each side 16 at least.")
    return w, h


def _open(path: Path) -> Any:
    from lumwick.picture import load_setting
    from lumwick.place.files import load

    return load_setting(load(path))


def _shares(text: str) -> tuple[float, float, float, float]:
    try:
        left, top, right, bottom = (float(v) for v in text.split(","))
    except ValueError:
        raise BadInput(f"A crop is written like 0.25,0.25,0.75,0.75, not {text!r}.") from None
    return left, top, right, bottom


def _own_quality(
    grade: Any, samples: int | None, noise: float | None, bounces: str | None, denoise: str | None, vary: bool
) -> Any:
    """A quality with what was said on the command line in place of its own."""
    from dataclasses import replace

    own: dict[str, Any] = {"vary": vary}
    if samples is not None:
        if not 1 <= samples <= 65536:
            raise BadInput("Samples lie from 1 to 65536.")
        own |= {"samples": samples, "most": max(grade.most, 3 * samples)}
    if noise is not None:
        if not 0 <= noise <= 100:
            raise BadInput("A noise threshold lies from 0 to 100 percent.")
        own |= {"noise": noise / 100, "even": 0.5, "most": max(grade.most, 3 * (samples or grade.samples))}
    if bounces is not None:
        try:
            own["bounces"], own["reflections"], own["transmissions"] = (int(v) for v in bounces.split(","))
        except ValueError:
            raise BadInput(f"Bounces are written like 2,4,8, not {bounces!r}.") from None
        if (
            min(own["bounces"], own["reflections"], own["transmissions"]) < 0
            or max(own["bounces"], own["reflections"], own["transmissions"]) > 16
        ):
            raise BadInput("Bounces lie from 0 to 16 each.")
    if denoise is not None:
        if denoise not in ("fast", "balanced", "high", "none"):
            raise BadInput(f"Cleaning is fast, balanced, high or none, not {denoise!r}.")
        own["denoise"] = denoise
    return replace(grade, **own)


@app.command()
def render(
    place: Path,
    shot: Annotated[str, typer.Option(help="Id or name of the shot.")],
    frames: Annotated[Optional[str], typer.Option(help="Like 1-48; all if left out.")] = None,
    size: str = "1280x720",
    quality: str = "study",
    out: Annotated[Optional[Path], typer.Option(help="Folder for numbered PNG frames.")] = None,
    film: Annotated[Optional[Path], typer.Option(help="One MP4 instead.")] = None,
    exr: Annotated[
        bool, typer.Option("--exr", help="Beside each PNG its light and passes as multi-layer OpenEXR.")
    ] = False,
    beside: Annotated[
        str, typer.Option(help="What else to write beside each PNG, names with commas: passes, cut_sky.")
    ] = "",
    cut: Annotated[bool, typer.Option("--cut-sky", help="PNG with the sky cut out, as straight alpha.")] = False,
    matte: Annotated[
        Optional[str],
        typer.Option(help="PNG of where these things or surfaces are, names with commas; white on black, with alpha."),
    ] = None,
    crop: Annotated[
        Optional[str], typer.Option(help="Left,top,right,bottom in shares of the picture, like 0.25,0.25,0.75,0.75.")
    ] = None,
    overscan: Annotated[float, typer.Option(help="Percent of the width to show beyond each edge.")] = 0.0,
    percent: Annotated[float, typer.Option(help="Of the size.")] = 100.0,
    samples: Annotated[Optional[int], typer.Option(help="A pixel, in the mean, in place of the quality's.")] = None,
    noise: Annotated[
        Optional[float],
        typer.Option(help="Percent of error at which a pixel gets no more samples; 0 gives all the same."),
    ] = None,
    bounces: Annotated[
        Optional[str], typer.Option(help="Off matt surfaces, off glossy ones, through clear things: like 2,4,8.")
    ] = None,
    denoise: Annotated[Optional[str], typer.Option(help="fast, balanced, high or none.")] = None,
    vary: Annotated[bool, typer.Option("--vary-noise", help="Noise of its own for each frame.")] = False,
) -> None:
    """Render frames of a shot as PNG, with their cameras and a manifest, or as one MP4."""
    from lumwick.deliver.beside import BESIDE, Rendered
    from lumwick.deliver.film import write_film
    from lumwick.deliver.manifest import Told, beside_frames
    from lumwick.deliver.stills import frame_name
    from lumwick.motion.timebase import RATES
    from lumwick.picture import frame_picture, motion_vectors_of
    from lumwick.picture import quality as grade_of
    from lumwick.trace.film import blank
    from lumwick.trace.framing import Framing
    from lumwick.trace.stage import Stage

    named = [name.strip() for name in beside.split(",") if name.strip()]
    wishes = _Wishes(out, film, tuple(dict.fromkeys([*(["passes"] if exr else []), *named])), cut, matte)
    wishes.check()
    setting = _open(place)
    the_shot = setting.place.shot(shot)
    numbers = _frames(frames, the_shot.frames) if frames else list(range(1, the_shot.frames + 1))
    size_of_frame = _size(size)
    grade = _own_quality(grade_of("matte" if matte else quality), samples, noise, bounces, denoise, vary)
    framing = Framing(percent, overscan, _shares(crop) if crop else None)
    film_size, _ = framing.film(size_of_frame)
    blank(*film_size)
    setting.camera_path(the_shot)
    stage = Stage(setting)
    with Progress(
        *Progress.get_default_columns()[:-1], TimeElapsedColumn(), TimeRemainingColumn(), console=say
    ) as progress:
        task = progress.add_task(the_shot.name, total=len(numbers))

        def pictures() -> Iterator[Any]:
            for number in numbers:
                picture = frame_picture(
                    stage, the_shot, number, size_of_frame, grade, passes=bool(wishes.outputs) or cut, framing=framing
                )
                assert picture is not None
                progress.advance(task)
                yield picture

        if film is not None:
            film.parent.mkdir(parents=True, exist_ok=True)
            write_film(film, (p.pixels for p in pictures()), RATES[the_shot.fps])
            return
        assert out is not None
        out.mkdir(parents=True, exist_ok=True)
        files: dict[int, dict[str, Path]] = {}
        for number, picture in zip(numbers, pictures(), strict=True):
            path = out / frame_name(the_shot.id, number)
            if picture.film.note:
                say.print(picture.film.note)
            wishes.write(path, picture, number)
            seen = picture.snapshot
            motion = partial(motion_vectors_of, stage, the_shot, seen.t, size_of_frame, framing=framing)
            made = Rendered(picture.film, picture.light, seen, number, RATES[the_shot.fps], motion)
            files[number] = {path.suffix: path}
            for name in wishes.outputs:
                ending = BESIDE[name].ending
                BESIDE[name].write(path.with_suffix(ending), made)
                files[number][ending] = path.with_suffix(ending)
        told = Told(the_shot, film_size, quality, files)
        for name, data in beside_frames(setting, told).items():
            (out / name).write_bytes(data)


@dataclass(frozen=True)
class _Wishes:
    """What frames are wanted as."""

    out: Path | None
    film: Path | None
    outputs: tuple[str, ...]
    """Beside each picture: names of `lumwick.deliver.beside.BESIDE`."""
    cut: bool
    matte: str | None

    def check(self) -> None:
        """Refuse what does not go together."""
        from lumwick.deliver.beside import BESIDE

        unknown = [name for name in self.outputs if name not in BESIDE]
        if unknown:
            raise BadInput(f"Beside a picture {', '.join(BESIDE)} can be written, not {unknown[0]!r}.")
        if (self.out is None) == (self.film is None):
            raise BadInput("Say where to: either --out FOLDER for frames or --film FILE for an MP4.")
        if self.outputs and self.out is None:
            raise BadInput("Passes are written frame by frame: say --out FOLDER with --exr or --beside.")
        if (self.cut or self.matte) and self.out is None:
            raise BadInput("A cut-out sky or a matte is written frame by frame: say --out FOLDER.")

    def write(self, path: Path, picture: Any, number: int) -> None:
        """One frame: plain, with its sky cut out, or as a matte."""
        from lumwick.deliver.frames import cut_out, names_of
        from lumwick.deliver.frames import matte as matte_of
        from lumwick.deliver.stills import write_png

        if self.matte:
            write_png(path, matte_of(picture.film, names_of(self.matte)))
        elif self.cut:
            shown = picture.snapshot
            write_png(path, cut_out(picture.film, picture.light, shown.camera, shown.grade, number))
        else:
            write_png(path, picture.pixels)


@app.command("import-land")
def import_land(
    file: Path,
    out: Annotated[Path, typer.Option(help="Place file to write.")],
    name: Optional[str] = None,
    size: Annotated[Optional[float], typer.Option(help="East-west size in metres.")] = None,
    lowest: Optional[float] = None,
    highest: Optional[float] = None,
    sea_level: Annotated[Optional[float], typer.Option(help="Height of the sea; none if left out.")] = None,
    reduce: bool = False,
    as_surveyed: Annotated[bool, typer.Option(help="Make no relief up below a coarse survey's spacing.")] = False,
) -> None:
    """Make a place from an elevation file."""
    from lumwick.land.detail import parts_of
    from lumwick.land.elevation import read_elevation
    from lumwick.newplace import place_from_survey
    from lumwick.place.files import pack

    survey = read_elevation(file, size_m=size, lowest=lowest, highest=highest, reduce=reduce)
    place, assets = place_from_survey(survey, name or file.stem, sea_level=sea_level, refine=not as_surveyed)
    out.write_bytes(pack(place, assets))
    w, s, e, n = survey.ground.bounds
    print(
        json.dumps(
            {
                "place": str(out),
                "latitude": survey.latitude,
                "longitude": survey.longitude,
                "east_west_m": round(e - w, 2),
                "north_south_m": round(n - s, 2),
                "spacing_m": round(survey.ground.spacing, 3),
                "made_up_to_m": round(survey.ground.spacing / (1 if as_surveyed else parts_of(survey.ground)), 3),
                "lowest_m": round(float(survey.ground.heights.min()), 2),
                "highest_m": round(float(survey.ground.heights.max()), 2),
                "note": survey.note,
            }
        )
    )


@app.command()
def sun(
    lat: Annotated[float, typer.Option()],
    lon: Annotated[float, typer.Option()],
    at: Annotated[str, typer.Option(help="ISO date and hour with offset, or in UTC.")],
) -> None:
    """Where the sun stands, and the day's rise, noon and set, as JSON."""
    from lumwick.air.sun import julian_day, sun_day, sun_position

    if not -90 <= lat <= 90 or not -180 <= lon <= 180:
        raise BadInput("Latitude lies from -90 to 90 and longitude from -180 to 180 degrees.")
    try:
        when = dt.datetime.fromisoformat(at.replace("Z", "+00:00"))
    except ValueError:
        raise BadInput(f"The date and hour are written like 2026-06-05T10:30+01:00, not {at!r}.") from None
    offset = when.utcoffset() or dt.timedelta()
    naive = when.replace(tzinfo=None)
    if not 1900 <= naive.year <= 2100:
        raise BadInput("The date is outside 1900 to 2100, where the sun's position is trusted.")
    position = sun_position(julian_day(naive - offset), lat, lon)
    day = sun_day(naive.date(), lat, lon, offset.total_seconds() / 3600)

    def iso(moment: dt.datetime | None) -> str | None:
        return moment.isoformat(timespec="seconds") if moment else None

    print(
        json.dumps(
            {
                "azimuth": round(float(position.azimuth), 4),
                "elevation": round(float(position.elevation), 4),
                "sunrise": iso(day.sunrise),
                "solar_noon": iso(day.noon),
                "sunset": iso(day.sunset),
                "always": day.always,
            }
        )
    )


@app.command()
def schema() -> None:
    """The JSON Schema of the place document."""
    from lumwick.place.files import schema as published

    print(json.dumps(published(), indent=1))


@app.command()
def demo(
    out: Annotated[Path, typer.Option(help="Place file to write.")],
    things: Annotated[bool, typer.Option("--yard", help="Saltmere Yard, of things and lamps.")] = False,
    growth: Annotated[bool, typer.Option("--down", help="Harrow Down, of what grows.")] = False,
) -> None:
    """Write a demo place, Saltmere Reach, Saltmere Yard or Harrow Down, as a place file."""
    from lumwick.demo import saltmere
    from lumwick.demo_meadow import down
    from lumwick.demo_yard import yard
    from lumwick.place.files import pack

    out.write_bytes(pack(*(down() if growth else yard() if things else saltmere())))


@app.command("compile", hidden=True)
def compile_kernels() -> None:
    """Compile the kernels into the shared cache."""
    from lumwick.compile_kernels import compile_kernels as compile_all

    compile_all(lambda text: say.print(text))


def _fail(text: str, code: int = 2) -> NoReturn:
    print(f"lumwick: {text}", file=sys.stderr)
    raise SystemExit(code)


def _noted(error: Exception) -> str:
    """Write an unexpected error's details where they can be sent from; says where."""
    try:
        handle, path = tempfile.mkstemp(prefix="lumwick-", suffix=".log")
        with os.fdopen(handle, "w") as out:
            out.write(f"lumwick {' '.join(sys.argv[1:])}\n\n")
            traceback.print_exception(error, file=out)
    except OSError:
        return "Its details could not be written."
    return f"The details are in {path}."


def main() -> None:
    """Entry point: bad input is one clear line and exit code 2, a fault of ours one line and exit code 1."""
    try:
        code = app(standalone_mode=False)
        if code:
            raise SystemExit(code)
    except LumwickError as error:
        _fail(f"{error} Say it with {error.option}." if error.option else str(error))
    except OSError as error:
        _fail(f"{error.filename or 'A file'}: {error.strerror or error}.")
    except KeyboardInterrupt:
        _fail("stopped.")
    except Exception as error:  # typer's own complaints about options; anything else is a fault of ours
        told = getattr(error, "format_message", None)
        if told is None:
            _fail(f"something went wrong that should not ({type(error).__name__}). {_noted(error)}", 1)
        _fail(str(told()).strip().replace("\n", " ") or "an argument is missing: see `lumwick --help`.")


if __name__ == "__main__":
    main()
