"""The slip: which fields stand in which columns, for each bench and selection."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from lumwick.built.meshes import KINDS
from lumwick.growth.form import PATCHED
from lumwick.lens.lens import Lens
from lumwick.place.describe import FieldView, fields, whole_at
from lumwick.place.document import Place, Shot, Station
from lumwick.place.edits import fresh_id
from lumwick.place.files import MAPS


def groups_of(p: Place, shot: Shot, bench: str, selected: str, t: float, tab: str = "") -> list[dict[str, Any]]:
    """The slip's columns for a bench and a selection, with values as they are at clip time ``t`` [s].

    Parameters
    ----------
    tab : str
        On the Route bench: station, way, pace, aim or lens.
    """
    now = whole_at(p, shot, t)
    s = f"/shots/{shot.id}"
    air, air_path = (shot.air, f"{s}/air") if shot.air else (p.air, "/air")
    wind, wind_path = (shot.wind, f"{s}/wind") if shot.wind else (p.wind, "/wind")

    def group(title: str, views: list[FieldView], **more: Any) -> dict[str, Any]:
        # under its group's title a field need not repeat it
        short = [
            replace(v, title=v.title.removeprefix(f"{title}, ").capitalize()) if v.title.startswith(f"{title}, ") else v
            for v in views
        ]
        return {"title": title, "fields": short, **more}

    clock = group("Clock", fields(shot.clock, f"{s}/clock", now))
    stand = next((x for x in p.growth if x.id == selected), None)
    station = next((x for x in shot.route.stations if x.id == selected), None)
    if bench == "land":
        return _land_groups(p, selected, now, group)
    if bench == "water":
        return [
            group("Sea", fields(p.sea, "/sea", now, ("present", "level", "wind_speed", "wind_from"))),
            group("Waves", fields(p.sea, "/sea", now, ("fetch_km", "depth", "choppiness", "clarity"))),
        ]
    if bench == "growth":
        out = [
            group(
                "Wind" + (" of this shot" if shot.wind else ""),
                fields(wind, wind_path, now, ("speed", "from_bearing", "gustiness", "roughness")),
            )
        ]
        if stand:
            base = f"/growth/{stand.id}"
            out += [
                group(
                    stand.name,
                    fields(
                        stand,
                        base,
                        now,
                        (
                            "name",
                            "kind",
                            "per_hectare",
                            "height",
                            *(("dry",) if stand.kind in PATCHED else ()),
                            "variation",
                        ),
                    ),
                    remove={"op": "remove", "of": "growth", "id": stand.id},
                ),
                group("Where", fields(stand, base, now, ("slope_most", "lowest", "highest", "lean"))),
            ]
        else:
            out.append(
                {
                    "title": "Stands",
                    "fields": [],
                    "note": (
                        "Pick a stand on the chart, or draw a new one: press “Draw a "
                        "stand”, click its corners, and double-click the last."
                    ),
                }
            )
        return out
    if bench == "air":
        lamp = next((x for x in p.lamps if x.id == selected), None)
        if lamp:
            return _lamp_groups(lamp, now, group)
        surround = group(
            "Light from a picture",
            fields(p.surround, "/surround", now, ("picture", *(("turn", "lux") if p.surround.picture else ()))),
            listed=[{"id": x.id, "name": x.name} for x in p.lamps],
            listed_title="Lamps",
            add={
                "op": "add",
                "to": "lamps",
                "item": {"id": fresh_id([x.id for x in p.lamps], "lamp"), "name": f"Lamp {len(p.lamps) + 1}"},
            },
            add_text="Hang a lamp here",
        )
        own = {"op": "own_air", "shot": shot.id, "own": shot.air is None}
        hour = group(
            "Hour and exposure", clock["fields"] + fields(shot.exposure, f"{s}/exposure", now, ("ev100", "kelvin"))
        )
        return [
            hour,
            group(
                "Haze" + (" of this shot" if shot.air else ""),
                fields(air, air_path, now, ("haze", "ozone_du", "sun_width")),
                command=own,
                command_text="Give this shot its own air" if shot.air is None else "Use the place's air",
            ),
            group(
                "Fog" + (" of this shot" if shot.air else ""),
                fields(air, air_path, now, ("fog_visibility", "fog_height", "fog_base")),
            ),
            surround,
        ]
    if bench == "route":
        return _route_groups(p, shot, station, tab, now, group)
    return _cut_groups(p, shot, selected, tab, now, group, clock)


def _cut_groups(
    p: Place, shot: Shot, selected: str, tab: str, now: Place, group: Any, clock: dict[str, Any]
) -> list[dict[str, Any]]:
    """The Cut bench's columns, under one tab."""
    s = f"/shots/{shot.id}"
    if tab == "shot":
        return [
            group(
                "Shot",
                fields(shot, s, now, ("name", "frames", "fps", "loop")),
                command={"op": "duplicate_shot", "shot": shot.id},
                command_text="Duplicate this shot",
                remove={"op": "remove_shot", "shot": shot.id} if len(p.shots) > 1 else None,
            ),
            clock,
        ]
    develop, base = (p.cut.develop, "/cut/develop") if shot.as_film else (shot.develop, f"{s}/develop")
    if tab == "develop":
        table = ("lut", "lut_strength") if develop.lut else ("lut",)
        return [
            group(
                "Film's" if shot.as_film else "Develop",
                [*fields(shot, s, now, ("as_film",)), *fields(develop, base, now, ("tint", "contrast", "saturation"))],
                command_js="pickGrey()",
                command_text="White from a grey in the look",
            ),
            group("Tones", fields(develop, base, now, ("lift", "gamma", "gain"))),
            group(
                "Curve",
                fields(develop, base, now, ("curve_deep", "curve_dark", "curve_middle", "curve_light", "curve_bright")),
            ),
            group("As seen", fields(develop, base, now, ("view", "screen", *table))),
        ]
    if tab == "finish":
        return [
            group("Finish", fields(develop, base, now, ("bloom", "vignette", "sharpen", "grain"))),
            group("Exposure", fields(shot.exposure, f"{s}/exposure", now, ("ev100", "kelvin"))),
        ]
    film = group("Film", fields(p.cut, "/cut", now, ("fps", "fade_in", "fade_out")))
    shots = {"title": "Add a piece", "fields": [], "pieces": [{"id": x.id, "name": x.name} for x in p.shots]}
    piece = next((x for x in p.cut.pieces if x.id == selected), None)
    if piece is None:
        return [
            film,
            shots,
            {
                "title": "Pieces",
                "fields": [],
                "note": (
                    "Pick a piece on the strip to choose its range and what "
                    "joins it to the next; drag it to another turn."
                ),
            },
        ]
    i = p.cut.pieces.index(piece)
    join = ("join", *(("over",) if piece.join != "cut" else ())) if i < len(p.cut.pieces) - 1 else ()
    return [
        group(
            f"Piece {i + 1} of {len(p.cut.pieces)}",
            fields(piece, f"/cut/pieces/{piece.id}", now, ("first", "last", *join)),
            drop=piece.id,
            note=p.shot(piece.shot).name,
        ),
        film,
        shots,
    ]


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


def _route_groups(
    p: Place, shot: Shot, station: Station | None, tab: str, now: Place, group: Any
) -> list[dict[str, Any]]:
    """The Route bench's columns, under one tab."""
    route, base = shot.route, f"/shots/{shot.id}/route"
    things = [("", "the spot"), *((x.id, x.name) for x in [*p.things, *p.lamps, *p.built, *p.growth])]
    spot = route.spot
    where = "what the first station aims at"
    if spot is not None:
        where = f"{spot[0]:.1f} east, {spot[1]:.1f} north, {spot[2]:.1f} up"
    subject = group(
        "Subject",
        fields(route, base, now, ("subject_up",)),
        subject=things,
        subject_path=f"{base}/subject",
        subject_now=route.subject,
        note="" if route.subject else f"The spot is {where}.",
        command_js="pickSpot('subject')",
        command_text="Pick the spot in the look",
    )
    if tab == "way":
        moving = group("Way", fields(route, base, now, ("way", *WAYS[route.way])))
        hand = group("Camera's hand", fields(route, base, now, ("handheld", "seed", "keep_clear")))
        return [moving, *([subject] if route.way in ("orbit", "follow") else []), hand]
    if tab == "pace":
        steady = () if route.timing == "one smooth move" else ("eased_start", "eased_end")
        before = () if route.timing == "by stations" else ("starts_before", "ends_after")
        return [
            group("Pace", fields(route, base, now, ("timing", "pace", *steady))),
            group(
                "Beyond the clip",
                fields(route, base, now, before),
                note="Stations' own times say when it starts: one before 0 is met before the clip."
                if not before
                else "",
            ),
            group(
                "By count",
                [],
                steps=shot.id,
                note="As many frames from each station to the next; the shot gets its length from them.",
            ),
        ]
    if tab == "aim":
        second = ("aim_second", "aim_share")
        keyed = ("bearing", "pitch") if "by keys" in (route.aim, route.aim_second) else ()
        lead = ("lead",) if "ahead" in (route.aim, route.aim_second) else ()
        return [
            group("Looks", fields(route, base, now, ("aim", *lead, *keyed, *second))),
            subject,
            group(
                "Level",
                [
                    *fields(route, base, now, ("level_within",)),
                    *fields(shot.exposure, f"/shots/{shot.id}/exposure", now, ("roll",)),
                ],
            ),
        ]
    if tab == "lens":
        e = f"/shots/{shot.id}/exposure"
        return [
            group("Exposure", fields(shot.exposure, e, now, ("ev100", "kelvin", "f_number", "metered_at", "shutter"))),
            group(
                "Focus",
                [*fields(route, base, now, ("focus_on",)), *fields(shot.exposure, e, now, ("focus",))],
                command_js="pickSpot('focus')",
                command_text="Focus on a spot of the look",
            ),
            group("Lens", fields(shot.exposure, e, now, ("sensor", "blades", "distortion", "dispersion"))),
            group("Two eyes", fields(shot.exposure, e, now, ("eyes", "zero_plane")), stills=shot.id),
        ]
    if station is None:
        return [
            {
                "title": "Stations",
                "fields": [],
                "note": (
                    "Turn the look to a view and press Enter to set a station; or stand "
                    "one on the chart; or let the lie of the land suggest some."
                ),
                "listed": [
                    {"id": x.id, "name": f"{i}. {x.name or 'station'}"} for i, x in enumerate(route.stations, 1)
                ],
            },
            group("Way", fields(route, base, now, ("way", "timing", "aim"))),
            group(
                "Exposure",
                fields(
                    shot.exposure,
                    f"/shots/{shot.id}/exposure",
                    now,
                    ("ev100", "kelvin", "f_number", "focus", "shutter"),
                ),
            ),
        ]
    i = route.stations.index(station) + 1
    here = f"{base}/stations/{station.id}"
    timed = ("time",) if route.timing == "by stations" else ()
    takes = ("takes",) if station.join == "eased" else ()
    lens = f"{Lens(station.focal, shot.exposure.sensor).angle:.0f}° across"
    return [
        group(
            f"Station {i} of {len(route.stations)}",
            fields(station, here, now, ("name", "east", "north", "up", "focal", "roll")),
            note=lens,
            remove={"op": "remove_station", "shot": shot.id, "station": station.id},
        ),
        group(
            "Set here", fields(station, here, now, ("focus", "f_number", "ev100", "kelvin")), note="Empty: as the shot."
        ),
        group(
            "In its turn",
            fields(station, here, now, (*timed, "stay", *(("join", *takes) if i < len(route.stations) else ()))),
            station={"id": station.id, "index": i - 1, "last": i == len(route.stations)},
        ),
    ]


SURFACE_LOOK = ("name", "pattern", "colour", "second", "roughness", "metalness", "wet")
SURFACE_BODY = (
    "coat",
    "coat_roughness",
    "clear",
    *("pane", "refraction", "depth_tint"),
    "through",
    "glow",
    "glow_colour",
)
SURFACE_LAID = ("scale", "turn", "shift_u", "shift_v", "relief", "boxed", "cut")


def _land_groups(p: Any, selected: str, now: Place, group: Any) -> list[dict[str, Any]]:
    """The Land bench's columns: the ground, or what is set down on it and its surfaces."""
    surfaces = [("", "its own"), *((x.id, x.name) for x in p.surfaces)]
    surface = next((x for x in p.surfaces if x.id == selected), None)
    if surface:
        base = f"/surfaces/{surface.id}"
        return [
            group(
                surface.name,
                fields(surface, base, now, SURFACE_LOOK),
                remove={"op": "remove", "of": "surfaces", "id": surface.id},
            ),
            group("Body", fields(surface, base, now, SURFACE_BODY)),
            group("As it lies", fields(surface, base, now, SURFACE_LAID)),
            group("Textures", fields(surface, base, now, MAPS)),
        ]
    thing = next((x for x in p.things if x.id == selected), None)
    if thing:
        base = f"/things/{thing.id}"
        return [
            group(
                thing.name,
                fields(thing, base, now, ("name", "mesh", "scale", "upright")),
                remove={"op": "remove", "of": "things", "id": thing.id},
                surface=surfaces,
                surface_path=f"{base}/surface",
                surface_now=thing.surface,
            ),
            group("Where", fields(thing, base, now, ("east", "north", "up", "turn"))),
        ]
    lamp = next((x for x in p.lamps if x.id == selected), None)
    if lamp:
        return _lamp_groups(lamp, now, group)
    built = next((x for x in p.built if x.id == selected), None)
    if built:
        base = f"/built/{built.id}"
        return [
            group(
                built.name,
                fields(built, base, now, ("name", "width", "deck", "turn")),
                surface=surfaces,
                surface_path=f"{base}/surface",
                surface_now=built.surface,
            )
        ]
    new = fresh_id([x.id for x in p.surfaces], "surface")
    return [
        group("Ground", fields(p.land, "/land", now, ("cover", "beach_top"))),
        group("Site", fields(p.site, "/site", now, ("latitude", "longitude", "utc_offset", "north_turn"))),
        group(
            "Set down here",
            [],
            listed=[{"id": x.id, "name": x.name} for x in [*p.built, *p.things, *p.lamps]],
            upload={"what": "model", "accept": ",".join(KINDS), "text": "Bring in a model …"},
        ),
        group(
            "Surfaces",
            [],
            listed=[{"id": x.id, "name": x.name} for x in p.surfaces],
            note=""
            if p.surfaces
            else "What built things and models are made of. They keep their own until they are given one.",
            add={"op": "add", "to": "surfaces", "item": {"id": new, "name": f"Surface {len(p.surfaces) + 1}"}},
            add_text="Make a surface",
        ),
    ]


def _lamp_groups(lamp: Any, now: Place, group: Any) -> list[dict[str, Any]]:
    base = f"/lamps/{lamp.id}"
    form = {"spot": ("inner", "outer"), "rectangle": ("width", "height"), "disc": ("width",)}.get(lamp.kind, ())
    aim = ("bearing", "pitch") if lamp.kind != "point" else ()
    return [
        group(
            lamp.name,
            fields(lamp, base, now, ("name", "kind", "lit", "amount", "unit", "kelvin")),
            remove={"op": "remove", "of": "lamps", "id": lamp.id},
        ),
        group("Where", fields(lamp, base, now, ("east", "north", "up", *aim))),
        *([group("Form", fields(lamp, base, now, form))] if form else []),
    ]
