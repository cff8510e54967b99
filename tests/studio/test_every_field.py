"""Every field of the document, found by walking it: what a picture depends on is in its frame's name and in the key of
the look's light; what it does not depend on is in neither."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Iterator
from typing import Any, Literal, get_args, get_origin

import numpy as np
import pytest
from pydantic import BaseModel, ValidationError

from lumwick.demo import saltmere
from lumwick.demo_meadow import down
from lumwick.demo_yard import yard
from lumwick.errors import LumwickError
from lumwick.frame_keys import film_keys
from lumwick.land.elevation import read_ground, write_elevation
from lumwick.land.starters import saltmarsh
from lumwick.motion.channel import Curve
from lumwick.place.document import Cut, Piece, Place, Shot
from lumwick.place.files import asset_of
from lumwick.place.filming import Develop, Station
from lumwick.place.growing import Among, BladeForm, OwnPlant, Stand, WoodForm
from lumwick.place.nature import FogBank, Land
from lumwick.place.objects import Built, Dressed, Lamp, LampGroup, Playing, Shape, SunGobo, Surface, Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.footprint import footprints
from studio.looks.engine import light_key
from tests.conftest import small_place
from tests.core.built.test_moving_models import keyed, moved


class Field:
    """A field of a place: where it lies, of what class it is, and its value."""

    def __init__(self, path: tuple[str | int, ...], owner: BaseModel, name: str) -> None:
        self.path, self.owner, self.name = path, owner, name
        self.value, self.info = getattr(owner, name), type(owner).model_fields[name]

    @property
    def kind(self) -> tuple[str, str]:
        return type(self.owner).__name__, self.name


def walk(model: BaseModel, path: tuple[str | int, ...] = ()) -> Iterator[Field]:
    """All fields under a model that hold a value of their own; curves count as one value."""
    for name in type(model).model_fields:
        found = Field((*path, name), model, name)
        values = found.value if isinstance(found.value, list) else [found.value]
        within = [(k, v) for k, v in enumerate(values) if isinstance(v, BaseModel) and not isinstance(v, Curve)]
        for k, value in within:
            yield from walk(value, (*path, name, k) if isinstance(found.value, list) else (*path, name))
        if not within:
            yield found


def others(field: Field, ids: list[str]) -> Iterator[Any]:
    """Other values that a field might have, as JSON."""
    value, extra = field.value, field.info.json_schema_extra
    told = extra if isinstance(extra, dict) else {}
    low, high = told.get("low"), told.get("high")
    annotation = field.info.annotation
    choices = [annotation, *get_args(annotation)]
    for one in choices:
        if get_origin(one) is Literal:
            yield from (choice for choice in get_args(one) if choice != value)
    if isinstance(value, Curve):
        data = value.model_dump(mode="json")
        for by in (1.07, 0.9, 1.01):
            if isinstance(data["keys"][0]["v"], int | float):
                moved = [{**key, "v": key["v"] * by + (0.01 if by > 1 else -0.01)} for key in data["keys"]]
                yield {**data, "keys": moved}
        yield {**data, "keys": [{**key, "v": "#123456"} for key in data["keys"]]}
        yield {**data, "keys": [{**key, "v": "2026-03-04T05:06:07"} for key in data["keys"][:1]]}
    elif isinstance(value, bool):
        yield not value
    elif isinstance(value, int | float):
        span = (high - low) if low is not None and high is not None else 10.0
        yield from (type(value)(value + by) for by in (0.013 * span, -0.013 * span, 1, -1, 5, 0.01, -0.01))
    elif isinstance(value, str):
        yield from (
            one for one in ("#123456", "2026-03-04T05:06:07", "z" + value, value + "1", "", "f" * 64, *ids, *SAID)
        )
    elif value is None and low is not None:
        yield low + 0.4 * (high - low)
    elif isinstance(value, tuple | list):
        if value and isinstance(value[0], str):
            yield [*value[1:], "z"]
        yield from nudged(field.owner.model_dump(mode="json")[field.name])
    else:
        text = field.owner.model_dump(mode="json")[field.name]
        if isinstance(text, str):
            yield "f" * 64
            yield from ("2026-03-04T05:06:07", "12:34:56", "z" + text)


SAID = ("25", "once", "0 0, 0.5 0.4, 1 0")
"""Words that some texts may be: a rate, a leaf's outline."""


def ids_of(data: Any) -> list[str]:
    """All ids in a document."""
    if isinstance(data, dict):
        own = [data["id"]] if "id" in data else []
        return own + [one for value in data.values() for one in ids_of(value)]
    return [one for value in data for one in ids_of(value)] if isinstance(data, list) else []


def nudged(data: Any) -> Iterator[Any]:
    """A list of numbers, or of lists of them, with the first a little larger."""
    if isinstance(data, list) and data:
        if isinstance(data[0], int | float):
            yield [data[0] + 0.37, *data[1:]]
            yield [data[0] - 0.37, *data[1:]]
        yield from ([first, *data[1:]] for first in nudged(data[0]))


def changed(place: Place, field: Field) -> Iterator[Place]:
    """Places with a field changed, of values that will do."""
    before = place.model_dump(mode="json")
    for value in others(field, ids_of(before)):
        data = place.model_dump(mode="json")
        held: Any = data
        for part in field.path[:-1]:
            held = held[part]
        held[field.path[-1]] = value
        try:
            made = Place.model_validate(data)
        except (ValidationError, LumwickError):
            continue
        if made.model_dump(mode="json") != before:
            yield made


def schema_fields(model: type[BaseModel] = Place, seen: set[type[BaseModel]] | None = None) -> set[tuple[str, str]]:
    """Every class and field of the document, by its annotations."""
    seen = set() if seen is None else seen
    if model in seen or issubclass(model, Curve):
        return set()
    seen.add(model)
    out: set[tuple[str, str]] = set()
    for name, info in model.model_fields.items():
        parts = [one for one in classes(info.annotation) if not issubclass(one, Curve)]
        if parts:
            out |= set().union(*(schema_fields(one, seen) for one in parts))
        else:
            out.add((model.__name__, name))
    return out


def classes(annotation: Any) -> Iterator[type[BaseModel]]:
    """The models that an annotation names."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
    for one in get_args(annotation):
        yield from classes(one)


def the_rest() -> tuple[Place, dict[str, bytes]]:
    """A place of what the demo's three do not use: ways to move a camera, forms of plants, motions of models."""
    model, film = moved([(0, "translation", "LINEAR", [0, 1], [[0, 0, 0], [4, 0, 0]])]), b"film"
    ground = write_elevation(saltmarsh(97, 12.0))
    assets = {asset_of(name, data).sha256: data for name, data in (("m.glb", model), ("g.tif", ground), ("f", film))}
    first = small_place().shots[0]
    usual = first.route

    def shot(
        name: str, seam: dict[str, Any] | None = None, stations: dict[str, Any] | None = None, **more: Any
    ) -> Shot:
        there = [one.model_copy(update=stations or {}) for one in usual.stations]
        route = usual.model_copy(update={"stations": there, **more})
        return first.model_copy(update={"id": name, "name": name, "route": route, **(seam or {})})

    def met(number: int) -> Station:
        return usual.stations[number].model_copy(update={"time": 0.4 * number})

    shots = [
        shot("fades", seam={"loop": True, "seam": "cross-fade", "seam_frames": 8}),
        shot("walk", way="walk", gait=1.0, handheld=0.7, brushes=True, aim="ahead"),
        shot("round", way="orbit", subject="cart", turns=0.5, focus_on="subject"),
        shot("spot", way="orbit", spot=(10.0, 10.0, 3.0), turns=0.5),
        shot("push", way="push", travel=4.0, counter=True),
        shot("follow", way="follow", subject="cart", lag=0.2, subject_up=1.0),
        shot("keys", aim="by keys", bearing=keyed((0, 10), (1, 40)), pitch=keyed((0, -3), (1, -9))),
        shot("blend", aim_second="ahead", aim_share=keyed((0, 0), (1, 1)), pace=keyed((0, 1), (1, 3))),
        shot("timed", timing="by stations", stations={}).model_copy(
            update={"route": usual.model_copy(update={"timing": "by stations", "stations": [met(k) for k in range(3)]})}
        ),
        shot("eased", stations={"join": "eased", "takes": 0.2, "stay": 0.05, "roll": 1.0}),
        shot("film", seam={"as_film": True}),
    ]
    area = [(30, 100), (120, 100), (120, 200), (30, 200)]
    mesh = asset_of("m.glb", model)
    place = small_place(
        land=Land(elevation=asset_of("g.tif", ground)),
        growth=[
            Stand(id="oaks", name="Oaks", kind="oak", area=area, per_hectare=9, 
                  wood=WoodForm(own_outline="0 0, 0.4 0.5, 1 0")),
            Stand(id="grass", name="Grass", kind="grass", area=area, per_hectare=9, blades=BladeForm(),
                  among=[Among(id="poppies", kind="poppy")]),
            Stand(id="own", name="Own", kind="birch", area=area, per_hectare=9, own=OwnPlant(mesh=mesh, leaves=["a"])),
        ],
        surfaces=[Surface(id="brass", name="Brass"), Surface(id="tin", name="Tin")],
        things=[
            Thing(id="cart", name="Cart", mesh=mesh, east=keyed((0, 3), (1, 9)), north=40.0, up=6.0,
                  plays=Playing(clip="move"),
                  dressed=[Dressed(part="Flap", surface="brass"), Dressed(part="Wheel", of="part", hidden=True)]),
            Thing(id="ball", name="Ball", shape=Shape(kind="ball"), surface="brass", held="cart"),
        ],
        built=[Built(id="walk", name="Walk", kind="boardwalk", line=[(0, 0), (9, 0)], surface="brass")],
        lamps=[Lamp(id="lamp", name="Lamp", group="all", held="cart")],
        lamp_groups=[LampGroup(id="all", name="All"), LampGroup(id="none", name="None")],
        banks=[FogBank(id="b", area=area, only="walk")],
        sun_gobo=SunGobo(kind="leaves"),
        shots=shots,
        cut=Cut(pieces=[Piece(id="p1", shot="walk", last=20, join="dissolve", over=6), Piece(id="p2", shot="push"),
                        Piece(id="p3", shot="film")], fade_in=4, fade_out=4),
    )  # fmt: skip
    return Place.model_validate(place.model_dump(mode="json")), assets


FRAMES, TRIES = 6, 4
PLACES = {"the rest": the_rest, "saltmere": saltmere, "yard": yard, "meadow": down}


def setting_of(place: Place, files: dict[str, bytes]) -> Setting:
    """A place with its files; one that is not among them is like another that is."""
    ground = read_ground(next(data for sha, data in files.items() if data[:4] in (b"II*\0", b"MM\0*")))
    model = next((data for data in files.values() if data[:4] == b"glTF"), b"")
    return Setting(place, ground, lambda asset: files.get(asset.sha256, model))


def named(place: Place, files: dict[str, bytes], shot_id: str, numbers: list[int]) -> tuple[list[str], str]:
    """The names of some frames of a shot, and the look's key of its light."""
    shot = place.shot(shot_id)
    return footprints(setting_of(place, files), shot, numbers, 1), light_key(place, shot)


@pytest.fixture(scope="module")
def checked() -> dict[tuple[str, str], tuple[bool, bool]]:
    """Of each class and field: whether some other value of it, somewhere, changes the names of frames that show it, and
    the look's key of light."""
    out: dict[tuple[str, str], tuple[bool, bool]] = {}
    tried: Counter[tuple[str, str]] = Counter()
    for make in PLACES.values():
        place, files = make()
        for number, shot in enumerate(place.shots):
            numbers = sorted({int(n) for n in np.linspace(1, shot.frames, FRAMES)})

            before = named(place, files, shot.id, numbers)
            for field in walk(place):
                known = out.get(field.kind, (False, False))
                elsewhere = field.path[0] == "shots" and field.path[1] != number
                if all(known) or elsewhere or tried[field.kind] >= TRIES or field.kind[0] in FILM:
                    continue
                for other in itertools.islice(changed(place, field), 3):
                    try:
                        after = named(other, files, shot.id, numbers)
                    except LumwickError:  # it cannot be filmed so
                        continue
                    tried[field.kind] += 1
                    known = out[field.kind] = (known[0] or before[0] != after[0], known[1] or before[1] != after[1])
                    if all(known):
                        break
    return out


FILM = {"Cut", "Piece"}
"""What says how shots make the film: its frames have names of their own."""
UNSEEN = {
    ("Place", "name"): "a name", ("Shot", "name"): "a name", ("Station", "name"): "a name",
    ("Station", "id"): "stations are known by their order",
    ("Route", "keep_clear"): "only the ride check goes by it",
}  # fmt: skip
"""What no frame shows, and why."""
DEVELOPED = {"Develop"}
"""What is developed from the light that there is."""
NO_LIGHT = {
    *UNSEEN, ("Exposure", "ev100"), ("Exposure", "kelvin"), ("Shot", "as_film"),
} - {("FogBank", "name"), ("Station", "name"), ("Station", "id"), ("Route", "keep_clear")}  # fmt: skip
"""What the look develops anew, or that no light depends on; a key that says too much costs only time."""


def test_every_field_is_tried(checked: dict[tuple[str, str], tuple[bool, bool]]) -> None:
    """A field that is added is tried too, or says here why it cannot be."""
    constants = {("Place", "format"), ("Place", "version")}
    film = {kind for kind in schema_fields() if kind[0] in FILM}
    assert schema_fields() - set(checked) - film == constants


def test_what_a_picture_depends_on_is_in_its_name(checked: dict[tuple[str, str], tuple[bool, bool]]) -> None:
    assert {kind for kind, (named, _) in checked.items() if not named} == set(UNSEEN)


def test_what_light_depends_on_is_in_the_looks_key(checked: dict[tuple[str, str], tuple[bool, bool]]) -> None:
    unlit = {kind for kind, (_, lit) in checked.items() if not lit}
    assert {kind for kind in unlit if kind[0] not in DEVELOPED} == NO_LIGHT
    assert {kind for kind in unlit if kind[0] in DEVELOPED} == {("Develop", name) for name in Develop.model_fields} - {
        ("Develop", "lut")
    }


def test_what_a_film_is_cut_by_is_in_its_frames_names() -> None:
    place, files = the_rest()

    def names(of: Place) -> list[str]:
        return film_keys(setting_of(of, files), (64, 36), "sketch")

    before, seen = names(place), set()
    for field in walk(place):
        if field.kind[0] in FILM and field.kind not in seen:
            for other in itertools.islice(changed(place, field), 3):
                try:
                    if names(other) != before:
                        seen.add(field.kind)
                        break
                except LumwickError:
                    continue
    film = {kind for kind in schema_fields() if kind[0] in FILM}
    assert film - seen == {("Piece", "id")}  # pieces are known by their order
