"""The Land bench's columns: the ground, or what is set down on it and its surfaces."""

from __future__ import annotations

from lumwick.built.bring.bundle import ENDINGS
from lumwick.built.floors import model_of
from lumwick.built.presets import PRESETS, preset
from lumwick.built.reduced import MANY, triangles_of
from lumwick.errors import LumwickError
from lumwick.motion.throwing import Throw
from lumwick.place.document import Place
from lumwick.place.edits import fresh_id
from lumwick.place.fields import least
from lumwick.place.files import MAPS
from lumwick.place.objects import Built, Copies, Opening, Playing, Shape, Surface, Thing
from lumwick.snapshot.thrown import OF_A_BALL, OF_OTHERS, is_round
from lumwick.snapshot.transforms import SEA_WATER, moving_of
from studio.places.models import AssetFile
from studio.places.slips.far import far_off, ridge_columns
from studio.places.slips.lamp import carried_by, lamp_columns
from studio.places.slips.slip_request import Column, SlipRequest, chosen_of, column, listed, note_column

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


def columns(asked: SlipRequest) -> list[Column]:
    place = asked.place
    for items, describe in (
        (place.surfaces, _surface),
        (place.things, _thing),
        (place.lamps, lamp_columns),
        (place.built, _built),
        (place.ridges, ridge_columns),
    ):
        picked = asked.chosen(items)
        if picked:
            return describe(asked, picked)
    return _ground(asked)


def _surface(asked: SlipRequest, surface: Surface) -> list[Column]:
    base = f"/surfaces/{surface.id}"
    remove = {"op": "remove", "of": "surfaces", "id": surface.id}
    return [
        asked.column(surface.name, surface, base, SURFACE_LOOK, remove=remove),
        asked.column("Body", surface, base, SURFACE_BODY),
        asked.column("As it lies", surface, base, SURFACE_LAID),
        asked.column("Textures", surface, base, MAPS),
    ]


def _choice_of_surface(asked: SlipRequest, base: str, now: str) -> Column:
    choices = [("", "its own"), *((x.id, x.name) for x in asked.place.surfaces)]
    return {"selects": [chosen_of("Surface", f"{base}/surface", now, choices)]}


def _thing(asked: SlipRequest, thing: Thing) -> list[Column]:
    base = f"/things/{thing.id}"
    more: Column = {
        "remove": {"op": "remove", "of": "things", "id": thing.id},
        **_choice_of_surface(asked, base, thing.surface),
    }
    own = ("name", "scale") if thing.shape is not None else ("name", "mesh", "scale", "upright")
    rolls = () if thing.held else ("floats", "rolls")
    where = asked.column("Where", thing, base, ("east", "north", "up", "turn", "tilt", "lean", *rolls, "touches"))
    if asked.tab == "form":
        return [*_form(asked, thing, base), *_worn(asked, thing), *_triangles(thing), *_openings(asked, thing, base)]
    if asked.tab == "copies":
        return _copies(asked, thing, base)
    if asked.tab == "motion":
        return [*_motion(asked, thing, base), _throw(thing)]
    floats = [_floating(asked, thing, base)] if thing.floats else []
    if thing.mesh is not None and thing.plays is None:
        more["command"], more["command_text"] = {"op": "sow", "id": thing.id}, "Sow it as a plant"
    return [
        asked.column(thing.name, thing, base, own, **more),
        *floats,
        {**where, "selects": [carried_by(asked, thing, base)]},
    ]


def _floating(asked: SlipRequest, thing: Thing, base: str) -> Column:
    """How deep a thing floats and what keeps it where it is."""
    slack = ("slack",) if thing.mooring == "moored" else ()
    made = asked.column("On the water", thing, base, ("density", "mooring", *slack))
    if thing.density >= SEA_WATER:
        return {**made, "note": "It is denser than water: it sinks, and lies on the bed."}
    if thing.mooring == "adrift" and asked.shot.loop:
        return {**made, "note": "In a shot that loops it cannot drift away and be back: it stays."}
    return made


FEW = 20_000
"""Triangles up to which there is nothing to reduce."""


def _triangles(thing: Thing) -> list[Column]:
    """How many triangles a model has, and fewer for those that have many."""
    if thing.mesh is None:
        return []
    try:
        count = triangles_of(model_of(AssetFile.read, thing))
    except LumwickError:
        return []  # the column of its surfaces says what is wrong with it
    note = f"{count:,}. "
    if count <= FEW:
        return [note_column("Triangles", note)]
    heavy = "They cost memory and time: fewer look the same from where they are small." if count >= MANY else ""
    ask = {"name": "to", "title": "Reduce to", "value": float(max(FEW, count // 10)), "unit": "", "help": "About."}
    return [
        note_column("Triangles", note + heavy, asks=[ask], asks_op="reduce", asks_of=thing.id, asks_text="Reduce it")
    ]


THROWS = {"speed": "m/s", "bearing": "°", "rise": "°", "bounce": "x", "drag": "x", "spin": "/s", "grip": "x"}
"""What is said of a throw, and in which unit."""


def _throw(thing: Thing) -> Column:
    """How a model can be thrown from where it is at the playhead."""
    if thing.held:
        return note_column("Throw", "What is carried cannot be thrown: set it down first.")
    try:
        ball = is_round(model_of(AssetFile.read, thing))
    except LumwickError:
        return note_column("Throw", "Its file cannot be read.")
    leaves_out = OF_OTHERS if ball else OF_A_BALL
    fields = Throw.model_fields
    asks = [
        {
            "name": name,
            "title": fields[name].title,
            "value": fields[name].default,
            "unit": unit,
            "help": fields[name].description or "",
        }
        for name, unit in THROWS.items()
        if name not in leaves_out
    ]
    lands = "its bounces and its roll" if ball else "how it tumbles, slides and comes to lie"
    note = f"From where it is at the playhead: keys of its flight, {lands}."
    return note_column("Throw", note, asks=asks, asks_op="throw", asks_of=thing.id, asks_text="Throw it")


def _motion(asked: SlipRequest, thing: Thing, base: str) -> list[Column]:
    """How a model's own motion is played, if its file has any."""
    if thing.mesh is None or not thing.mesh.name.lower().endswith(".glb"):
        return []
    try:
        motions = moving_of(AssetFile.read, thing).motions
    except LumwickError:
        return []  # the column of its surfaces says what is wrong with it
    if not motions:
        return []
    path = f"{base}/plays"
    if thing.plays is None:
        first = {"op": "set", "path": path, "value": Playing(clip=motions[0].name).model_dump()}
        told = ", ".join(f"{one.name} ({one.seconds:.3g} s)" for one in motions[:4])
        return [note_column("Motion", f"It moves by itself: {told}.", command=first, command_text="Play it")]
    options = [(one.name, f"{one.name} ({one.seconds:.3g} s)") for one in motions]
    away = {"op": "set", "path": path, "value": None}
    names = ("how", "start", "rate", *(("closes",) if thing.plays.how != "once" else ()))
    made = asked.column("Motion", thing.plays, path, names, remove=away)
    clip = thing.plays.clip or motions[0].name
    return [{**made, "selects": [chosen_of("Which", f"{path}/clip", clip, options)]}]


OF_FORM = {
    "stairs": ("steps",),
    "wall": ("thick",),
    "room": ("thick", "roofed"),
    "sweep": ("curve",),
    "stone": ("number",),
}
"""What a form has besides its three measures."""


def _form(asked: SlipRequest, thing: Thing, base: str) -> list[Column]:
    """The measures of a shape."""
    shape = thing.shape
    if shape is None:
        return []
    path, flat = f"{base}/shape", shape.kind == "plate"
    measures = ("width", "depth") if flat else ("width", "height") if shape.kind == "wall" else SIZES
    out = [asked.column("Form", shape, path, ("kind", *measures, *OF_FORM.get(shape.kind, ())))]
    return out


def _openings(asked: SlipRequest, thing: Thing, base: str) -> list[Column]:
    """The doors and windows of a wall or a room."""
    shape, path = thing.shape, f"{base}/shape"
    if shape is None or shape.kind not in ("wall", "room"):
        return []
    new = Opening(id=fresh_id([o.id for o in shape.openings], "opening")).model_dump()
    told = [o.model_dump() for o in shape.openings]
    out = [
        note_column(
            "Openings",
            "" if told else "Doors and windows: cut through, glazed if asked.",
            command={"op": "set", "path": f"{path}/openings", "value": [*told, new]},
            command_text="Cut an opening",
        )
    ]
    for k, one in enumerate(shape.openings):
        rest = [o.model_dump() for o in shape.openings if o.id != one.id]
        side = ("wall",) if shape.kind == "room" else ()
        away = {"op": "set", "path": f"{path}/openings", "value": rest}
        names = (*side, "along", "up", "width", "height", "glazed")
        out.append(asked.column(f"Opening {k + 1}", one, f"{path}/openings/{one.id}", names, remove=away))
    return out


SIZES = ("width", "depth", "height")
FIRST_SHAPES: dict[str, dict[str, float]] = {
    "box": {},
    "ball": {},
    "cylinder": {"width": 0.5, "depth": 0.5},
    "cone": {},
    "plate": {"width": 4, "depth": 4},
    "stairs": {"width": 1.2, "depth": 2.8, "height": 1.75},
    "wall": {"width": 4, "height": 2.6},
    "room": {"width": 5, "depth": 4, "height": 2.6},
    "stone": {"width": 0.8, "depth": 0.6, "height": 0.5},
    "sweep": {"width": 8, "depth": 6, "height": 4},
}
"""Measures [m] with which a shape is set down first."""


def _own_shapes(place: Place) -> Column:
    """Shapes to set down on the ground ahead."""
    new = fresh_id([x.id for x in place.things], "shape")
    said = {kind: sum(1 for x in place.things if x.shape and x.shape.kind == kind) + 1 for kind in FIRST_SHAPES}
    offered = [
        {
            "text": kind,
            "add": {
                "op": "add",
                "to": "things",
                "item": {
                    "id": new,
                    "name": f"{kind.capitalize()} {said[kind]}",
                    "shape": Shape(kind=kind, **size).model_dump(),
                },
            },
        }
        for kind, size in FIRST_SHAPES.items()
    ]
    return column("Shapes to block out", [], adds=offered, note="Set down on the ground ahead.")


def _ready_made(place: Place) -> Column:
    """Surfaces to take as they are, as pictures."""
    ids = [x.id for x in place.surfaces]
    return column(
        "Ready-made surfaces",
        [],
        sheet=[
            {
                "picture": f"surfaces/{name}.jpg",
                "text": told["name"],
                "add": {
                    "op": "add",
                    "to": "surfaces",
                    "item": preset(name, fresh_id(ids, name)).model_dump(mode="json"),
                },
            }
            for name, told in PRESETS.items()
        ],
    )


SURFACES_SHOWN = 40
"""Of a model's own surfaces, the most that the slip lists."""


def _worn(asked: SlipRequest, thing: Thing) -> list[Column]:
    """A model's own surfaces and its parts, each as it is, given another, or hidden."""
    try:
        parts = model_of(AssetFile.read, thing).parts
    except LumwickError as error:
        return [note_column("Its surfaces", str(error))]
    nodes = list(dict.fromkeys(part.node for part in parts if part.node))
    columns = [("Its surfaces", "surface", list(dict.fromkeys(part.surface.name for part in parts)))]
    if len(nodes) > 1:
        columns.append(("Its parts", "part", nodes))
    now: dict[tuple[str, str], str] = {(one.of, one.part): "-" if one.hidden else one.surface for one in thing.dressed}
    return [
        column(
            title,
            [],
            note=f"{len(names) - SURFACES_SHOWN} more are not listed." if len(names) > SURFACES_SHOWN else "",
            dress=[{"name": name, "now": now.get((of, name), "")} for name in names[:SURFACES_SHOWN]],
            dress_kind=of,
            dress_of=thing.id,
            dress_in=[("", "as it is"), ("-", "hidden"), *((x.id, x.name) for x in asked.place.surfaces)],
        )
        for title, of, names in columns
    ]


OF_LAYOUT = {
    "row": ("laid", "count", "step"),
    "grid": ("laid", "count", "columns", "step", "rows_apart"),
    "ring": ("laid", "count", "step", "facing"),
    "line": ("laid", "count", "step", "facing"),
    "faces": ("laid", "count", "standing_out"),
    "points": ("laid", "count", "standing_out"),
}


def _stride(thing: Thing) -> float:
    """From one copy to the next [m], so that they stand clear of one another."""
    try:
        low, high = model_of(AssetFile.read, thing).bounds
    except LumwickError:
        return 2.0  # the column of its surfaces says what is wrong with it
    return min(max(round(float(high[0] - low[0]) * least(thing.scale) * 1.25, 2), 0.01), 1000.0)


def _copies(asked: SlipRequest, thing: Thing, base: str) -> list[Column]:
    if thing.copies is None:
        first = {"op": "set", "path": f"{base}/copies", "value": Copies(step=_stride(thing)).model_dump()}
        note = "Many of the same, in a row, a grid, a ring or along a line."
        return [
            note_column(
                "Copies", note, command=first, command_text="Set out copies", command_js=f"drawCopies('{thing.id}')",
                command_js_text="along a line …",
            )
        ]  # fmt: skip
    path, away = f"{base}/copies", {"op": "set", "path": f"{base}/copies", "value": None}
    on_model = thing.copies.laid in ("faces", "points")
    foot, more = () if on_model else ("on_ground",), {}
    if on_model:
        others = [("", "none"), *((x.id, x.name) for x in asked.place.things if x.id != thing.id)]
        more = {"selects": [chosen_of("On", f"{path}/on", thing.copies.on, others)]}
    laid = asked.column("Copies", thing.copies, path, (*OF_LAYOUT[thing.copies.laid], *foot), remove=away, **more)
    chance = asked.column("By chance", thing.copies, path, ("any_turn", "any_size", "any_shift", "seed"))
    return [laid, chance, asked.column("In time", thing.copies, path, ("later", "any_later"))]


def _built(asked: SlipRequest, built: Built) -> list[Column]:
    base = f"/built/{built.id}"
    more = _choice_of_surface(asked, base, built.surface)
    return [asked.column(built.name, built, base, ("name", "width", "deck", "turn"), **more)]


def _ground(asked: SlipRequest) -> list[Column]:
    place = asked.place
    new = fresh_id([x.id for x in place.surfaces], "surface")
    note = "What built things and models are made of. They keep their own until they are given one."
    return [
        column(
            "Ground and site",
            asked.fields(place.land, "/land", ("cover", "beach_top", "litter"))
            + asked.fields(place.site, "/site", ("latitude", "longitude", "utc_offset", "north_turn")),
        ),
        column(
            "Set down here",
            [],
            listed=listed([*place.built, *place.things, *place.lamps]),
            upload={
                "what": "model",
                "accept": ",".join((*ENDINGS, ".zip", ".bin", ".mtl", "image/*")),
                "text": "Bring in models …",
            },
        ),
        _own_shapes(place),
        far_off(asked),
        column(
            "Surfaces",
            [],
            listed=listed(place.surfaces),
            note="" if place.surfaces else note,
            add={"op": "add", "to": "surfaces", "item": {"id": new, "name": f"Surface {len(place.surfaces) + 1}"}},
            add_text="Make a surface",
        ),
        _ready_made(place),
    ]
