"""The Growth bench's columns: a stand by its tabs, a way, or the wind and what grows."""

from __future__ import annotations

from typing import Any

import numpy as np

from lumwick.built.floors import mesh_of
from lumwick.errors import LumwickError
from lumwick.growth.form_cache import wood_form
from lumwick.growth.kinds import KINDS, USUAL
from lumwick.growth.kinds.grass import Blades
from lumwick.growth.natural_frequency import natural_frequencies
from lumwick.place.edits import fresh_id
from lumwick.place.fields import least
from lumwick.place.growing import Among, BladeForm, Front, Stand
from studio.places.models import AssetFile
from studio.places.slips.slip_request import Column, SlipRequest, chosen_of, listed, note_column

COLOURED = ("leaf_colour", "flower_colour", "tip_colour", "side_colour")
CROWN = ("crown", "spread", "bare", "leader", "stems", "thick", "flare")
LIMBS = ("branches", "reach", "rises", "crooked", "hangs")
LEAF = ("outline", "leaf", "broad", "cover")
SHAPES = ("clumps", "shortest", "longest", "lean", "curl", "width", "taper", "headed")


SOW_NOTE = "A model of a plant is sown about the middle of what is seen; it stands still by its foot and sways."
BRING_PLANT = {
    "text": "Bring a plant …",
    "what": "plant",
    "accept": ".glb,.gltf,.obj,.ply,.stl,.usd,.usda,.usdc,.usdz,.zip",
}


def columns(asked: SlipRequest) -> list[Column]:
    place = asked.place
    way = asked.chosen(place.ways)
    if way is not None:
        remove = {"op": "remove", "of": "ways", "id": way.id}
        return [
            _wind(asked),
            asked.column(way.name, way, f"/ways/{way.id}", ("name", "width", "left", "worn"), remove=remove),
        ]
    stand = asked.chosen(place.growth)
    if stand is None:
        note = (
            "Pick a stand on the chart, or draw a new one: press “Draw a stand”, "
            "click its corners, and double-click the last."
        )
        return [
            _wind(asked),
            note_column("Stands", note, listed=listed(place.growth)),
            *([note_column("Ways", "", listed=listed(place.ways))] if place.ways else []),
            note_column("A plant of your own", SOW_NOTE, upload=BRING_PLANT),
        ]
    now = next(one for one in asked.now.growth if one.id == stand.id)
    tabs = {"form": _form, "colour": _colour, "motion": _motion, "where": _where}
    return tabs.get(asked.tab, _stand)(asked, stand, now)


def _wind(asked: SlipRequest) -> Column:
    place, shot = asked.place, asked.shot
    wind, path = (shot.wind, f"{asked.base}/wind") if shot.wind else (place.wind, "/wind")
    title = "Wind" + (" of this shot" if shot.wind else "")
    return asked.column(
        title,
        wind,
        path,
        ("speed", "from_bearing", "gustiness", "roughness"),
        command={"op": "own_wind", "shot": shot.id, "own": shot.wind is None},
        command_text="Give this shot its own wind" if shot.wind is None else "Use the place's wind",
    )


def _set(stand: Stand, name: str, value: Any) -> dict[str, Any]:
    return {"op": "set", "path": f"/growth/{stand.id}/{name}", "value": value}


def _stand(asked: SlipRequest, stand: Stand, now: Stand) -> list[Column]:
    dry = () if KINDS[stand.kind].woody else ("dry",)
    remove = {"op": "remove", "of": "growth", "id": stand.id}
    fields = ("name", "kind", "per_hectare", "height", *dry, "variation")
    if stand.own is not None:
        note = f"Its plants are the model {stand.own.mesh.name}; they move and turn as its kind does."
        return [
            asked.column(stand.name, stand, f"/growth/{stand.id}", fields, remove=remove, note=note),
            *_among(asked, stand),
        ]
    kinds = [
        {
            "text": kind.said or name,
            "picture": f"kinds/{name}.jpg",
            "command": {
                "op": "several",
                "edits": [
                    _set(stand, "kind", name),
                    _set(stand, "height", USUAL[name][0]),
                    _set(stand, "per_hectare", USUAL[name][1]),
                    _set(stand, "wood", None),
                    _set(stand, "blades", None),
                ],
                "label": f"{stand.name}: {kind.said or name}",
            },
        }
        for name, kind in KINDS.items()
    ]
    return [
        asked.column(stand.name, stand, f"/growth/{stand.id}", fields, remove=remove),
        note_column("Kinds", "", sheet=kinds),
        *_among(asked, stand),
    ]


def _unlike(kind: str, stand: Stand) -> tuple[bool, float]:
    """How unlike a stand's plants a kind is: of another nature, and higher or lower."""
    other = KINDS[kind].woody != KINDS[stand.kind].woody or KINDS[kind].still != KINDS[stand.kind].still
    return other, abs(float(np.log(USUAL[kind][0] / float(least(stand.height)))))


def _among(asked: SlipRequest, stand: Stand) -> list[Column]:
    """Other kinds that grow in a stand, and one to mix in."""
    columns = []
    for one in stand.among:
        rest = [other.model_dump(mode="json") for other in stand.among if other is not one]
        out = [{"text": "Leave it out", "command": _set(stand, "among", rest)}]
        path = f"/growth/{stand.id}/among/{one.id}"
        columns.append(asked.column(f"Among: {one.kind}", one, path, ("kind", "share", "tall"), offers=out))
    left = 1 - sum(one.share for one in stand.among)
    there = {stand.kind, *(one.kind for one in stand.among)}
    if left < 0.01 or len(stand.among) >= 8:
        return columns
    usual = USUAL[stand.kind][0]
    # what grows about as high comes first
    near = sorted((k for k in KINDS if k not in there), key=lambda k: _unlike(k, stand))[:4]
    ids = [one.id for one in stand.among]
    offers = [
        {
            "text": f"Mix in {KINDS[kind].said or kind}",
            "command": _set(
                stand,
                "among",
                [
                    *(one.model_dump(mode="json") for one in stand.among),
                    Among(
                        id=fresh_id(ids, "k"),
                        kind=kind,
                        share=round(min(0.25, left), 2),
                        tall=round(min(max(USUAL[kind][0] / usual, 0.05), 5.0), 2),
                    ).model_dump(mode="json"),
                ],
            ),
        }
        for kind in near
    ]
    return [*columns, note_column("Among them", "Other kinds, by their shares.", offers=offers)]


def _model_form(asked: SlipRequest, stand: Stand) -> list[Column]:
    """A model of one's own: which of its surfaces and parts are leaves."""
    own = stand.own
    assert own is not None
    back = {"text": "Grow as its kind does", "command": _set(stand, "own", None)}
    try:
        parts = mesh_of(AssetFile.read, own).parts
    except LumwickError as error:
        return [note_column("Its model", str(error), offers=[back])]
    names = list(dict.fromkeys([*(p.surface.name for p in parts), *(p.node for p in parts if p.node)]))[:SHOWN]
    leafy = [
        {
            "name": name,
            "now": "leaf" if name in own.leaves else "",
            "path": f"/growth/{stand.id}/own/leaves",
            "with": [*own.leaves, name] if name not in own.leaves else own.leaves,
            "without": [other for other in own.leaves if other != name],
        }
        for name in names
    ]
    return [
        note_column("Leaves and wood", "What is leaf flutters, turns and falls.", leafy=leafy),
        asked.column("Its model", own, f"/growth/{stand.id}/own", ("mesh", "upright", "through"), offers=[back]),
    ]


SHOWN = 30
"""Of a model's surfaces and parts, the most that the slip lists."""


def _form(asked: SlipRequest, stand: Stand, now: Stand) -> list[Column]:
    base, own = f"/growth/{stand.id}", "Give it a form of its own"
    if stand.own is not None:
        return _model_form(asked, stand)
    wood, blades = wood_form(now), KINDS[stand.kind].blades
    if wood is not None and stand.wood is None:
        told = "It grows as its kind does. In a form of its own, crown, limbs and leaves are yours to set."
        value = wood.model_dump(mode="json")
        return [note_column("Form", told, offers=[{"text": own, "command": _set(stand, "wood", value)}])]
    if stand.wood is not None:
        back = [{"text": "Grow as its kind does", "command": _set(stand, "wood", None)}]
        at = f"{base}/wood"
        return [
            asked.column("Crown and stem", stand.wood, at, CROWN),
            asked.column("Limbs", stand.wood, at, LIMBS),
            asked.column(
                "Leaves",
                stand.wood,
                at,
                (*LEAF, *(("own_outline",) if stand.wood.outline == "own" else ())),
                offers=back,
                picture={"text": "Leaf by a picture …", "what": "leaf", "path": stand.id},
            ),
        ]
    if stand.blades is not None:
        back = [{"text": "Grow as its kind does", "command": _set(stand, "blades", None)}]
        at = f"{base}/blades"
        return [
            asked.column("Blades", stand.blades, at, SHAPES[:4]),
            asked.column("Their form", stand.blades, at, SHAPES[4:], offers=back),
        ]
    if isinstance(blades, Blades):
        form = BladeForm(
            shortest=blades.lengths[0], longest=blades.lengths[1], width=blades.width, taper=blades.taper,
            curl=sum(blades.curl) / 1.9, lean=blades.lean, headed=blades.headed,
        )  # fmt: skip
        told = "It grows as its kind does. In a form of its own, clumps and blades are yours to set."
        value = form.model_dump(mode="json")
        return [note_column("Blades", told, offers=[{"text": own, "command": _set(stand, "blades", value)}])]
    return [note_column("Form", "A flower or reed grows as its kind does: its height, density and colours are yours.")]


def _colour(asked: SlipRequest, stand: Stand, now: Stand) -> list[Column]:
    base = f"/growth/{stand.id}"
    dial = ("month",) if stand.leaves == "by the dial" else ()
    plain = [
        {
            "text": "Its kind's own colours",
            "command": {
                "op": "several",
                "edits": [_set(stand, name, "") for name in COLOURED],
                "label": f"{stand.name}: its kind's own colours",
            },
        }
    ]
    painted = any(getattr(stand, name) for name in COLOURED)
    side = ("side_faces",) if stand.side_colour else ()
    colours = (*COLOURED, *side, "varied")
    return [
        asked.column("Season", stand, base, ("leaves", *dial, "grown")),
        asked.column("Colour", stand, base, colours, offers=plain if painted else []),
        _front(asked, stand),
    ]


def _front(asked: SlipRequest, stand: Stand) -> Column:
    """From where it spreads; or the ways in which it may."""
    if stand.front is not None:
        off = [{"text": "Grow everywhere at once", "command": _set(stand, "front", None)}]
        return asked.column(
            "Spreads", stand.front, f"/growth/{stand.id}/front", ("of", "reach", "soft", "lag"), offers=off
        )
    corners = stand.area or [(0.0, 0.0)]
    middle = [round(sum(point[k] for point in corners) / len(corners), 1) for k in (0, 1)]
    fronts = [("From its middle", Front(of="spots", points=[(middle[0], middle[1])]))]
    if asked.place.sea.present or asked.place.waters:
        fronts.append(("From the water", Front(of="water")))
    fronts += [(f"Along {way.name}", Front(of="line", points=way.line)) for way in asked.place.ways[:3]]
    offers = [{"text": text, "command": _set(stand, "front", front.model_dump(mode="json"))} for text, front in fronts]
    return note_column("Spreads", "Growing that comes behind a front: key how far it has come.", offers=offers)


def _motion(asked: SlipRequest, stand: Stand, now: Stand) -> list[Column]:
    if KINDS[stand.kind].still:
        return [note_column(stand.name, "Stones lie still."), _wind(asked)]
    swings = natural_frequencies(now)
    told = ", ".join(f"{part} {hz:.2g} Hz" for part, hz in vars(swings).items() if hz > 0)
    fields = ("stiffness", "wild", "lean", *(() if KINDS[stand.kind].woody else ("rises",)))
    return [
        asked.column(stand.name, stand, f"/growth/{stand.id}", fields, note=told),
        note_column(
            "By what is seen",
            "How far it moves on the picture at the playhead, in pixels a frame of one 1280 wide.",
            asks=[{"name": "pixels", "title": "Moves by", "value": 1.0, "unit": "px", "help": "The middle of it."}],
            asks_op="seen_swaying",
            asks_of=stand.id,
            asks_text="Let it move so",
        ),
        _wind(asked),
    ]


def _where(asked: SlipRequest, stand: Stand, now: Stand) -> list[Column]:
    base = f"/growth/{stand.id}"
    still = [(one.id, one.name) for one in asked.place.things]
    on = chosen_of("Grows on", f"{base}/on", stand.on, [("", "the ground"), *still])
    groves = ("groves", *(("groves_cover",) if stand.groves > 0 else ()))
    faces = ("faces_within", *(("faces",) if stand.faces_within < 180 else ()))
    singles = [
        {"text": f"Take away {spot.id} at {spot.east:.0f}, {spot.north:.0f}",
         "command": {"op": "take_plant", "stand": stand.id, "id": spot.id}}
        for spot in stand.singles[-6:]
    ]  # fmt: skip
    only = ("only_singles",) if stand.singles else ()
    return [
        asked.column("Height and slope", stand, base, ("lowest", "highest", "slope_most", *faces)),
        asked.column("Spread", stand, base, ("spaced", "margin", "near_water", *groves)),
        asked.column("Footing", stand, base, ("upright", *only), selects=[on], offers=singles),
    ]
