"""Commands of the air: the light meter along a shot, a strip of looks through the day, sun and moon."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Optional

import typer

from lumwick.errors import PlaceError

app = typer.Typer(add_completion=False)


def _spot(text: str) -> tuple[float, float]:
    try:
        u, v = (float(part) for part in text.split(","))
    except ValueError:
        raise PlaceError(f"A point of the picture is written like 0.5,0.4 (from left and top), not {text!r}.") from None
    if not (0 <= u <= 1 and 0 <= v <= 1):
        raise PlaceError("A point of the picture lies within 0 and 1, from the left and from the top.")
    return u, v


@app.command()
def meter(
    place: Path,
    shot: Annotated[str, typer.Option()],
    by: Annotated[str, typer.Option(help="average, centre, highlights or spot.")] = "average",
    at: Annotated[str, typer.Option(help="The point that is metered, by shares from left and top.")] = "0.5,0.5",
    readings: Annotated[int, typer.Option(help="Moments at which it is read.")] = 25,
    stays: Annotated[float, typer.Option(min=0, max=1, help="Share of the change of light that stays.")] = 0.3,
    smooth: Annotated[float, typer.Option(min=0, max=60, help="Seconds over which the exposure follows.")] = 0.4,
    out: Annotated[Optional[Path], typer.Option(help="Place file to write, with the shot's exposure keyed.")] = None,
) -> None:
    """Read a light meter along a shot; tells the readings and the keys they make, as JSON."""
    from lumwick.metering import metered_edit, offered, read_along
    from lumwick.picture import load_setting
    from lumwick.place.edits import apply, command
    from lumwick.place.files import load, pack
    from lumwick.trace.stage import Stage

    document, assets = load(place)
    setting = load_setting((document, assets))
    one = setting.place.shot(shot)
    read = read_along(Stage(setting), one, by, _spot(at), readings)
    if out is not None:
        made, _ = apply(document, command(metered_edit(one, read, stays, smooth)))
        out.write_bytes(pack(made, assets))
    told = [[round(float(t), 4), round(float(ev), 3)] for t, ev in zip(read.times, read.ev, strict=True)]
    print(json.dumps({"read": told, "keys": offered(one, read, stays, smooth)}))


@app.command()
def hours(
    place: Path,
    shot: Annotated[str, typer.Option()],
    out: Annotated[Path, typer.Option(help="PNG to write: small pictures beside one another.")],
    every: Annotated[float, typer.Option(min=0.25, max=12, help="Hours between two of them.")] = 2.0,
    t: Annotated[float, typer.Option(help="Clip time [s] at which the view is taken.")] = 0.0,
) -> None:
    """A strip of small pictures of a shot's view through its day, each as a meter asks."""
    import numpy as np

    from lumwick.deliver.stills import write_png
    from lumwick.metering import through_the_day
    from lumwick.picture import load_setting
    from lumwick.place.files import load
    from lumwick.trace.stage import Stage

    setting = load_setting(load(place))
    one = setting.place.shot(shot)
    strip = []
    for hour, pixels, ev in through_the_day(Stage(setting), one, t, np.arange(0.0, 24.0, every), (240, 135)):
        strip.append(pixels)
        print(f"{int(hour):02d}:{round(hour % 1 * 60):02d}  EV {ev:.1f}")
    write_png(out, np.concatenate(strip, axis=1))


@app.command()
def heavens(
    place: Path,
    shot: Annotated[str, typer.Option()],
    t: Annotated[float, typer.Option(help="Clip time [s].")] = 0.0,
) -> None:
    """Where sun and moon stand at an instant of a shot, and what casts shadows, as JSON."""
    from lumwick.picture import load_setting
    from lumwick.place.files import load
    from lumwick.snapshot.evaluate import evaluate

    setting = load_setting(load(place))
    seen = evaluate(setting, setting.place.shot(shot), t)
    moon = seen.moon
    print(
        json.dumps(
            {
                "clock": seen.clock.isoformat(timespec="seconds"),
                "sun": {"bearing": round(float(seen.sun.azimuth), 3), "height": round(float(seen.sun.elevation), 3)},
                "moon": None
                if moon is None
                else {
                    "bearing": round(moon.azimuth, 3),
                    "height": round(moon.elevation, 3),
                    "lit": round(moon.lit, 3),
                    "lux": round(moon.lux, 4),
                },
                "shadows_by": "moon" if seen.key.by_moon else "sun",
            }
        )
    )


@app.command()
def sounding(
    place: Path,
    shot: Annotated[str, typer.Option()],
    t: Annotated[float, typer.Option(help="Clip time [s].")] = 0.0,
) -> None:
    """Wind by height, how far one sees, and the light of sky and sun at an instant of a shot, as JSON."""
    from dataclasses import asdict

    from lumwick.picture import load_setting
    from lumwick.place.files import load
    from lumwick.snapshot.evaluate import evaluate
    from lumwick.sounding import sounding as read

    setting = load_setting(load(place))
    told = asdict(read(setting, evaluate(setting, setting.place.shot(shot), t)))
    print(json.dumps({name: value if name == "wind" else round(value, 4) for name, value in told.items()}))
