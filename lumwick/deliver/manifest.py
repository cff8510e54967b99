"""What goes with numbered frames: a manifest that says what each of them is, and their cameras."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lumwick.deliver.paths_out import export
from lumwick.deliver.stills import frame_name
from lumwick.motion.timebase import RATES, frame_time, timecode
from lumwick.place.document import Shot
from lumwick.place.film import laid_out, parts_at
from lumwick.place.instant import place_clock
from lumwick.snapshot.evaluate import Setting, camera_at

MANIFEST = "manifest.json"
FORMAT, VERSION = "lumwick-frames", 1
CAMERAS = (".usda", ".glb", ".csv")
"""Formats in which cameras go with frames."""


@dataclass(frozen=True)
class Told:
    """What is said of all frames.

    Attributes
    ----------
    shot : Shot or None
        None for the whole film.
    files : mapping of int to mapping of str to Path
        Each frame's files where they lie now, by their endings; in the folder they have the frame's name.
    """

    shot: Shot | None
    size: tuple[int, int]
    quality: str
    files: Mapping[int, Mapping[str, Path]]


def manifest(setting: Setting, told: Told, cameras: Sequence[str]) -> bytes:
    """The manifest as JSON: metres, degrees and seconds; positions east, north and up.

    Parameters
    ----------
    cameras : sequence of str
        Names of the cameras' files.
    """
    shot, place = told.shot, setting.place
    rate = RATES[place.cut.fps if shot is None else shot.fps]
    said: dict[str, Any] = {
        "format": FORMAT,
        "version": VERSION,
        "place": place.name,
        "shot": None if shot is None else {"id": shot.id, "name": shot.name, "loop": shot.loop},
        "frames_a_second": {"numerator": rate.numerator, "denominator": rate.denominator},
        "size": list(told.size),
        "quality": told.quality,
        "colour": "sRGB pictures; linear Rec.709 in cd/m2 in passes",
        "cameras": list(cameras),
        "frames": [],
    }
    spliced = laid_out(place) if shot is None else []
    for number, files in sorted(told.files.items()):
        one: dict[str, Any] = {"number": number, "timecode": timecode(number, rate)}
        if shot is None:
            shown = parts_at(place, number, spliced)
            one["shows"] = [{"shot": p.shot, "frame": p.frame, "share": round(p.share, 6)} for p in shown]
        else:
            one |= _instant(setting, shot, number)
        one["files"] = [_file(name_of(told, number, ending), path) for ending, path in files.items()]
        said["frames"].append(one)
    return json.dumps(said, indent=1).encode()


def name_of(told: Told, number: int, ending: str) -> str:
    """The name of one of a frame's files."""
    stem = "film" if told.shot is None else told.shot.id
    return str(Path(frame_name(stem, number)).with_suffix(ending))


def _file(name: str, path: Path) -> dict[str, Any]:
    with path.open("rb") as held:
        digest = hashlib.file_digest(held, "sha256").hexdigest()
    return {"name": name, "bytes": path.stat().st_size, "sha256": digest}


def _instant(setting: Setting, shot: Shot, number: int) -> dict[str, Any]:
    """When a frame is, and where its camera stands."""
    t = float(frame_time(number, RATES[shot.fps]))
    camera = camera_at(setting, shot, t)
    return {
        "seconds": round(t, 6),
        "clock": place_clock(shot, t).isoformat(timespec="milliseconds"),
        "camera": {
            "position": [round(float(v), 6) for v in camera.position],
            "bearing": round(camera.bearing, 6),
            "pitch": round(camera.pitch, 6),
            "roll": round(camera.roll, 6),
            "angle_of_view": round(float(camera.lens.angle), 6),
            "exposure_ev100": round(camera.ev100, 4),
            "white_kelvin": round(camera.kelvin, 2),
        },
    }


def beside_frames(setting: Setting, told: Told) -> dict[str, bytes]:
    """The files that go with frames, by name: the manifest, and their cameras in each format."""
    if told.shot is not None:
        shots = [told.shot]
    else:
        shots = list({one.shot.id: one.shot for one in laid_out(setting.place)}.values())
    out: dict[str, bytes] = {}
    for ending in CAMERAS:
        out |= export(setting, shots, f"cameras{ending}")
    return {MANIFEST: manifest(setting, told, sorted(out)), **out}
