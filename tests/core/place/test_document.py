"""The document, its file, its edits and what may be typed into it."""

import json
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lumwick.demo import saltmere
from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel
from lumwick.place.describe import fields, typed
from lumwick.place.edits import apply, command, fresh_id
from lumwick.place.files import pack, parse, schema, unpack
from lumwick.place.paths import find
from lumwick.place.quantities import read, show
from tests.conftest import small_place

ROOT = Path(__file__).resolve().parents[3]


def test_demo_survives_its_own_file() -> None:
    place, assets = saltmere()
    again, more = unpack(pack(place, assets))
    assert again == place and more == assets
    assert pack(place, assets) == pack(place, assets)


def changed(**fields: object) -> dict:
    return {**small_place().model_dump(mode="json"), **fields}


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (changed(version=9), "version 9"),
        (changed(format="x"), "not a place file"),
        ([], "not a place file"),
        (changed(name=""), "name"),
        (changed(site={"latitude": 95}), "Latitude is 95"),
        (changed(shots=[]), "shots"),
        (changed(surprise=1), "surprise"),
        (changed(air={"fog_visibility": 1}), "Fog visibility is 1 m"),
        (
            changed(
                growth=[
                    {
                        "id": "g",
                        "name": "Grass",
                        "kind": "grass",
                        "area": [[0, 0], [5000, 0], [5000, 5000], [0, 5000]],
                        "per_hectare": 400000,
                    }
                ]
            ),
            "at most 2,000,000",
        ),
        (
            changed(growth=[{"id": "g", "name": "A", "kind": "reed"}, {"id": "g", "name": "B", "kind": "reed"}]),
            "share one id",
        ),
    ],
)
def test_bad_places_get_a_sentence(data: object, says: str) -> None:
    with pytest.raises(PlaceError, match=says):
        parse(data)


def test_nan_and_missing_assets() -> None:
    place, assets = saltmere()
    text = place.model_dump_json()
    with pytest.raises(PlaceError, match="latitude"):
        unpack(text.replace('"latitude":54.6', '"latitude":NaN').encode())
    with pytest.raises(PlaceError, match=r"saltmere-ground.tif is missing"):
        unpack(text.encode())
    with pytest.raises(PlaceError, match="not the one the place was made with"):
        unpack(pack(place, {k: v + b"x" for k, v in assets.items()}))
    for junk in (b"", b"PK\x03\x04junk", b"hello", pack(place, assets)[:5000]):
        with pytest.raises(PlaceError):
            unpack(junk)


def test_published_schema_takes_the_demo() -> None:
    made = schema()
    assert made["properties"]["version"]["const"] == 4
    assert json.loads((ROOT / "docs" / "place.schema.json").read_text()) == json.loads(json.dumps(made))


@pytest.mark.parametrize(
    ("data", "label"),
    [
        ({"op": "set", "path": "/air/fog_visibility", "value": 500}, "fog visibility 500 m"),
        ({"op": "key", "path": "/shots/a/exposure/ev100", "t": 0.5, "value": 12}, "key: exposure 12 EV at 0.50 s"),
        ({"op": "move_station", "shot": "a", "station": "s2", "east": 5, "north": 5}, "moved station 2"),
        ({"op": "remove_station", "shot": "a", "station": "s1"}, "removed station 1"),
        ({"op": "remove", "of": "growth", "id": "reeds"}, "removed stand Reeds"),
        ({"op": "own_air", "shot": "a", "own": True}, "A: air of its own"),
        ({"op": "set", "path": "/shots/a/loop", "value": True}, "loop on"),
    ],
)
def test_edits_are_named_and_leave_the_old_place_alone(data: dict, label: str) -> None:
    place = small_place()
    before = place.model_dump_json()
    after, said = apply(place, command(data))
    assert said == label and place.model_dump_json() == before and after != place


def test_moving_a_station_takes_its_aim_along() -> None:
    after, _ = apply(
        small_place(), command({"op": "move_station", "shot": "a", "station": "s1", "east": -10, "north": -20})
    )
    assert after.shots[0].route.stations[0].aim == (10.0, 60.0, 2.0)


@pytest.mark.parametrize(
    "data",
    [
        {"op": "nothing"},
        {"op": "set", "path": "/air/nope", "value": 1},
        {"op": "set", "path": "/shots/a/id", "value": "b"},
        {"op": "remove_station", "shot": "a", "station": "s9"},
        {"op": "set", "path": "/site/latitude", "value": "far"},
        {"op": "key", "path": "/shots/a/clock/speed", "t": 0, "value": 1},
        {"op": "add_station", "shot": "a", "station": {"id": "s9", "east": 1, "north": 1, "up": 1, "aim": [1, 1, 1]}},
    ],
)
def test_edits_that_do_not_fit_are_refused(data: dict) -> None:
    with pytest.raises(PlaceError):
        apply(small_place(), command(data))


def test_keys_gather_in_a_channel() -> None:
    place = small_place()
    for t, v in ((0.0, 500.0), (1.0, 900.0), (1.0, 1000.0)):
        place, _ = apply(place, command({"op": "key", "path": "/air/fog_visibility", "t": t, "value": v}))
    assert isinstance(place.air.fog_visibility, Channel)
    assert [(k.t, k.v) for k in place.air.fog_visibility.keys] == [(0.0, 500.0), (1.0, 1000.0)]


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("1.6 m", "m", 1.6),
        ("20 kn", "m/s", 10.28888),
        ("f/8", "f/", 8),
        ("2 km", "m", 2000),
        ("35mm", "mm", 35),
        ("1,5", "m", 1.5),
        ("-3 deg", "°", -3),
        ("1 200 m", "m", 1200),
    ],
)
def test_numbers_as_people_type_them(text: str, unit: str, value: float) -> None:
    assert read(text, unit) == pytest.approx(value)


@pytest.mark.parametrize(("text", "unit"), [("", "m"), ("fog", "m"), ("3 kn", "m"), ("1.2.3", "m"), ("--3", "m")])
def test_what_is_no_number_is_refused(text: str, unit: str) -> None:
    with pytest.raises(PlaceError):
        read(text, unit)


@settings(deadline=None)
@given(st.floats(-9000, 9000, allow_nan=False))
def test_what_is_shown_can_be_typed_again(value: float) -> None:
    assert read(show(value, "m"), "m") == pytest.approx(value, rel=1e-3, abs=1e-3)


def test_slip_fields_and_typing() -> None:
    place = small_place()
    views = {v.title: v for v in fields(place.air, "/air", place)}
    assert views["Fog visibility"].animatable and views["Fog visibility"].unit == "m" and views["Ozone"].high == 600
    assert typed(place, "/shots/a/clock/start", "17:20") == "2026-06-05T17:20:00"
    assert typed(place, "/shots/a/frames", "48") == 48
    assert typed(place, "/sea/present", "no") is False
    for path, text in (("/site/latitude", "95"), ("/shots/a/clock/start", "noon"), ("/shots/a/frames", "4.5")):
        with pytest.raises(PlaceError):
            typed(place, path, text)
    assert fresh_id(["s1", "s3"], "s") == "s2"
    assert find(place, "/growth/pines/height")[2].title == "Height"


def test_the_direction_of_imports_holds() -> None:
    done = subprocess.run(
        [str(Path(sys.executable).with_name("lint-imports"))], cwd=ROOT, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout[-3000:]


def test_several_edits_are_one_act_or_none() -> None:
    place = small_place()
    fog = {"op": "set", "path": "/air/fog_visibility", "value": 500}
    haze = {"op": "set", "path": "/air/haze", "value": 0.3}
    made, label = apply(place, command({"op": "several", "edits": [fog, haze]}))
    assert (made.air.fog_visibility, made.air.haze) == (500, 0.3) and label == "fog visibility 500 m; haze 0.3"
    assert apply(place, command({"op": "several", "edits": [fog, haze], "label": "thicker air"}))[1] == "thicker air"
    with pytest.raises(PlaceError, match="no station 'gone'"):
        apply(
            place, command({"op": "several", "edits": [fog, {"op": "remove_station", "shot": "a", "station": "gone"}]})
        )
    assert place.air.fog_visibility == 20000
    for bad in ([], [{"op": "several", "edits": [fog]}]):
        with pytest.raises(PlaceError):
            command({"op": "several", "edits": bad})
