"""Commands for waters: what a place has, and films of its drawn beaches."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Optional

import typer

from lumwick.errors import PlaceError

app = typer.Typer()


@app.command()
def waters(
    place: Path,
    shot: Annotated[Optional[str], typer.Option(help="Id or name; the first if left out.")] = None,
    t: Annotated[float, typer.Option(help="Clip time, in seconds.")] = 0.0,
) -> None:
    """Say what waters a place has: the sea's state, the shore's wash, the tide, and each stream and pond."""
    from lumwick.picture import load_setting
    from lumwick.place.files import load
    from lumwick.snapshot.water_report import sea_in_words, water_in_words

    setting = load_setting(load(place))
    chosen = setting.place.shots[0] if shot is None else setting.place.shot(shot)
    if setting.place.sea.present:
        print(f"Sea: {'; '.join(sea_in_words(setting, chosen, t))}.")
    elif not setting.place.waters:
        print("There is no water in this place.")
    now = setting.still(chosen, t).place
    for water, bed in zip(now.waters, setting.beds() if now.waters else (), strict=True):
        print(f"{water.name}: {bed.trouble or water_in_words(setting, water, bed)}.")


@app.command()
def beach(
    place: Path,
    out: Annotated[Path, typer.Option(help="FILE.mov for a film with alpha, or a folder for numbered PNG.")],
    name: Annotated[Optional[str], typer.Option(help="Id of the drawn beach; the first if left out.")] = None,
    shot: Annotated[Optional[str], typer.Option(help="Id or name; the first if left out.")] = None,
    size: Annotated[str, typer.Option(help="Width and height in pixels.")] = "1280x720",
) -> None:
    """Draw a drawn beach over a shot: flat tones with alpha."""
    from lumwick.deliver.alpha import write_alpha_film, write_alpha_frames
    from lumwick.motion.timebase import RATES
    from lumwick.picture import load_setting
    from lumwick.place.files import load
    from lumwick.snapshot.beaches import drawn_frames

    setting = load_setting(load(place))
    if not setting.place.beaches:
        raise PlaceError("This place has no drawn beach: add one on the Water bench.")
    chosen = setting.place.shots[0] if shot is None else setting.place.shot(shot)
    try:
        width, height = (int(v) for v in size.lower().split("x"))
    except ValueError:
        raise PlaceError(f"A size is written like 1280x720, not {size!r}.") from None
    if not (16 <= width <= 8192 and 16 <= height <= 8192):
        raise PlaceError("A drawn beach is 16 to 8192 pixels wide and high.")
    frames = drawn_frames(setting, chosen, name or setting.place.beaches[0].id, (width, height))
    if out.suffix.lower() == ".mov":
        count = write_alpha_film(out, frames, RATES[chosen.fps])
    elif out.suffix:
        raise PlaceError("A drawn beach is written as FILE.mov, or into a folder.")
    else:
        count = write_alpha_frames(out, frames)
    print(f"{count} frames, {out}")
