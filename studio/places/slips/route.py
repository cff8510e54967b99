"""The Route bench's columns, under its tabs: station, way, pace, aim and lens."""

from __future__ import annotations

import numpy as np

from lumwick.lens.camera import ev100, hyperfocal
from lumwick.lens.lens import Lens
from lumwick.motion.timebase import RATES
from lumwick.place.filming import Station
from lumwick.place.growing import Stand
from lumwick.place.objects import Built, Lamp, Thing
from studio.places.slips.slip_request import Column, SlipRequest, chosen_of, column

WAYS: dict[str, tuple[str, ...]] = {
    "fly": ("tension", "no_overshoot", "over_ground"),
    "walk": ("eye_height", "gait", "tension"),
    "straight": (),
    "orbit": ("turns",),
    "push": ("travel", "counter"),
    "follow": ("lag",),
    "fixed": (),
    "brought": (),
}
"""What can be set of each way of moving."""


def columns(asked: SlipRequest) -> list[Column]:
    return {"way": _way, "pace": _pace, "aim": _aim, "lens": _lens}.get(asked.tab, _station)(asked)


def _routed(asked: SlipRequest, title: str, names: tuple[str, ...], note: str = "") -> Column:
    """A column of some of the route's own fields."""
    more = {"note": note} if note else {}
    return asked.column(title, asked.shot.route, f"{asked.base}/route", names, **more)


def _subject(asked: SlipRequest) -> Column:
    place, route = asked.place, asked.shot.route
    things: list[Thing | Lamp | Built | Stand] = [*place.things, *place.lamps, *place.built, *place.growth]
    subjects = [("", "the spot"), *((x.id, x.name) for x in things)]
    where = "what the first station aims at"
    if route.spot is not None:
        where = f"{route.spot[0]:.1f} east, {route.spot[1]:.1f} north, {route.spot[2]:.1f} up"
    return asked.column(
        "Subject",
        route,
        f"{asked.base}/route",
        ("subject_up",),
        selects=[chosen_of("It is", f"{asked.base}/route/subject", route.subject, subjects)],
        note="" if route.subject else f"The spot is {where}.",
        command_js="pickSpot('subject')",
        command_text="Pick the spot in the look",
    )


def _way(asked: SlipRequest) -> list[Column]:
    way = asked.shot.route.way
    moving = _routed(asked, "Way", ("way", *WAYS[way]))
    hand = _routed(asked, "Camera's hand", ("handheld", "seed", "keep_clear", "brushes"))
    return [moving, *([_subject(asked)] if way in ("orbit", "follow") else []), hand]


def _pace(asked: SlipRequest) -> list[Column]:
    timing = asked.shot.route.timing
    steady = () if timing == "one smooth move" else ("eased_start", "eased_end")
    before = () if timing == "by stations" else ("starts_before", "ends_after")
    own_times = "Stations' own times say when it starts: one before 0 is met before the clip."
    return [
        _routed(asked, "Pace", ("timing", "pace", *steady)),
        column(
            "Beyond the clip",
            asked.fields(asked.shot.route, f"{asked.base}/route", before) if before else [],
            note="" if before else own_times,
        ),
        column(
            "By count",
            [],
            steps=asked.shot.id,
            note="As many frames from each station to the next; the shot gets its length from them.",
        ),
    ]


def _aim(asked: SlipRequest) -> list[Column]:
    route = asked.shot.route
    aims = (route.aim, route.aim_second)
    keyed = ("bearing", "pitch") if "by keys" in aims else ()
    lead = ("lead",) if "ahead" in aims else ()
    level = asked.fields(route, f"{asked.base}/route", ("level_within",))
    return [
        _routed(asked, "Looks", ("aim", *lead, *keyed, "aim_second", "aim_share")),
        _subject(asked),
        column("Level", [*level, *asked.fields(asked.shot.exposure, f"{asked.base}/exposure", ("roll",))]),
    ]


def _as_a_camera(asked: SlipRequest) -> str:
    """The film speed at which a real camera would be exposed as the shot is at the playhead."""
    now = asked.now.shot(asked.shot.id).exposure
    if now.shutter <= 0:
        return "A shutter of 0° is open for no time at all: everything is sharp."
    seconds = now.shutter / 360 / float(RATES[asked.shot.fps])
    iso = 100 * 2 ** (ev100(now.f_number, seconds) - now.ev100)
    return f"On a camera: 1/{1 / seconds:.0f} s and about ISO {float(f'{iso:.2g}'):g}."


def _sharp_from(asked: SlipRequest) -> str:
    """Where everything is sharp from, for the first station's lens: half the hyperfocal distance."""
    now, stations = asked.now.shot(asked.shot.id).exposure, asked.shot.route.stations
    focal = stations[0].focal if stations else 28.0
    circle = 0.03 * now.sensor / 36  # of confusion, as sharp in a picture of the same size
    far = hyperfocal(focal, now.f_number, circle)
    return f"Focused at {far:.3g} m, {focal:g} mm is sharp from {far / 2:.3g} m to the horizon."


def _lens(asked: SlipRequest) -> list[Column]:
    path = f"{asked.base}/exposure"
    focus = asked.fields(asked.shot.route, f"{asked.base}/route", ("focus_on",))
    settings = asked.exposure(("ev100", "kelvin", "f_number", "metered_at", "shutter"))
    return [
        {**settings, "note": _as_a_camera(asked)},
        column(
            "Focus",
            [*focus, *asked.fields(asked.shot.exposure, path, ("focus",))],
            command_js="pickSpot('focus')",
            command_text="Focus on a spot of the look",
            note=_sharp_from(asked),
        ),
        asked.exposure(("sensor", "blades", "distortion", "dispersion"), "Lens"),
        {**asked.exposure(("eyes", "zero_plane"), "Two eyes"), "stills": asked.shot.id},
    ]


def _station(asked: SlipRequest) -> list[Column]:
    stations = asked.shot.route.stations
    station = asked.chosen(stations)
    if station is not None:
        return _one(asked, station)
    note = (
        "Turn the look to a view and press Enter to set a station; or stand "
        "one on the chart; or let the lie of the land suggest some."
    )
    named = [{"id": x.id, "name": f"{i}. {x.name or 'station'}"} for i, x in enumerate(stations, 1)]
    return [
        column("Stations", [], note=note, listed=named),
        _routed(asked, "Way", ("way", "timing", "aim")),
        asked.exposure(("ev100", "kelvin", "f_number", "focus", "shutter")),
    ]


def _one(asked: SlipRequest, station: Station) -> list[Column]:
    shot, stations = asked.shot, asked.shot.route.stations
    i = stations.index(station) + 1
    here = f"{asked.base}/route/stations/{station.id}"
    timed = ("time",) if shot.route.timing == "by stations" else ()
    takes = ("takes",) if station.join == "eased" else ()
    join = ("join", *takes) if i < len(stations) else ()
    across = float(np.asarray(Lens(station.focal, shot.exposure.sensor).angle))
    return [
        asked.column(
            f"Station {i} of {len(stations)}",
            station,
            here,
            ("name", "east", "north", "up", "focal", "roll"),
            note=f"{across:.0f}° across",
            remove={"op": "remove_station", "shot": shot.id, "station": station.id},
        ),
        asked.column("Set here", station, here, ("focus", "f_number", "ev100", "kelvin"), note="Empty: as the shot."),
        asked.column(
            "In its turn",
            station,
            here,
            (*timed, "stay", *join),
            station={"id": station.id, "index": i - 1, "last": i == len(stations)},
        ),
    ]
