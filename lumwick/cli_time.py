"""Commands of time: the seam check, amounts of motion, time-lapses, the sun's meetings, two places compared."""

from __future__ import annotations

import datetime as dt
import json
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any, Optional

import typer

from lumwick.errors import LumwickError

app = typer.Typer(add_completion=False)


def _opened(place: Path, shot: str) -> tuple[Any, Any]:
    from lumwick.picture import load_setting
    from lumwick.place.files import load

    setting = load_setting(load(place))
    return setting, setting.place.shot(shot)


def _day(text: str) -> dt.date:
    try:
        return dt.date.fromisoformat(text)
    except ValueError:
        raise LumwickError(f"A date is written like 2026-06-05, not {text!r}.") from None


@app.command()
def seam(
    place: Path,
    shot: Annotated[str, typer.Option()],
    pictures: Annotated[bool, typer.Option("--pictures", help="Render the step from last frame to first too.")] = False,
) -> None:
    """Whether and where a shot jumps when it comes round, as JSON; exit code 1 if it does."""
    from lumwick.picture import seam_step
    from lumwick.snapshot.seam import seam_gaps
    from lumwick.trace.stage import Stage

    setting, the_shot = _opened(place, shot)
    gaps = seam_gaps(setting, the_shot)
    step = seam_step(Stage(setting), the_shot) if pictures else None
    print(
        json.dumps(
            {
                "closes": all(g.closes for g in gaps),
                "found": [asdict(g) for g in gaps],
                **({"pictures": {**asdict(step), "text": step.text}} if step else {}),
            }
        )
    )
    if not all(g.closes for g in gaps):
        raise typer.Exit(1)


@app.command()
def motion(
    place: Path,
    shot: Annotated[str, typer.Option()],
    at: Annotated[float, typer.Option(help="Clip time in seconds.")] = 0.0,
) -> None:
    """How far things move on the picture from frame to frame, as JSON."""
    from lumwick.trace.amount import amount_of_motion
    from lumwick.trace.stage import Stage

    setting, the_shot = _opened(place, shot)
    if not 0 <= at <= the_shot.seconds:
        raise LumwickError(f"The shot lasts {the_shot.seconds:g} s: {at:g} s is outside it.")
    print(json.dumps([asdict(a) for a in amount_of_motion(Stage(setting), setting, the_shot, at).amounts]))


@app.command()
def lapse(
    event: Annotated[Optional[str], typer.Option(help="Like 3h or 40min.")] = None,
    clip: Annotated[Optional[str], typer.Option(help="Like 10s.")] = None,
    fps: Annotated[Optional[float], typer.Option()] = None,
    interval: Annotated[Optional[str], typer.Option(help="Between two frames, like 45s.")] = None,
) -> None:
    """Plan a time-lapse from any three of its four sizes, as JSON."""
    from lumwick.motion.timebase import plan_lapse
    from lumwick.place.quantities import read

    event_s, clip_s, interval_s = (
        read(text, "s", name) if text else None
        for text, name in ((event, "Event"), (clip, "Clip"), (interval, "Interval"))
    )
    plan = plan_lapse(event_s, clip_s, fps, interval_s)
    print(json.dumps({**asdict(plan), "frames": plan.frames, "speed": plan.speed}))


@app.command()
def meet(
    lat: Annotated[float, typer.Option()],
    lon: Annotated[float, typer.Option()],
    bearing: Annotated[float, typer.Option(help="From true north through east.")],
    date: Annotated[str, typer.Option(help="Like 2026-06-05.")],
    offset: Annotated[float, typer.Option(help="Hours that the clock is ahead of UTC.")] = 0.0,
) -> None:
    """When the sun, while it is up, stands at a bearing, as JSON."""
    from lumwick.air.sun import sun_at_bearing

    if not -90 <= lat <= 90 or not -180 <= lon <= 180:
        raise LumwickError("Latitude lies from -90 to 90 and longitude from -180 to 180 degrees.")
    print(
        json.dumps(
            [
                {**asdict(m), "when": m.when.isoformat(timespec="seconds")}
                for m in sun_at_bearing(_day(date), lat, lon, offset, bearing)
            ]
        )
    )


@app.command()
def compare(before: Path, after: Path) -> None:
    """What is different between two place files, a line each."""
    from lumwick.place.compare import changes
    from lumwick.place.files import load

    for line in changes(load(before)[0], load(after)[0]):
        print(line)
