"""Files brought into a place: models, textures, pictures of light, tables; and white from a grey."""

import io
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from PIL import Image

from lumwick.place.files import unpack
from lumwick.place.objects import Gobo
from studio.looks.engine import ENGINE_OF_LOOKS, PreviewRequest
from studio.looks.settings import revision_setting
from tests.core.built.test_bringing_in import in_files, zipped
from tests.core.built.test_meshes import glb
from tests.core.develop.test_develop import cube
from tests.outside.test_surfaces import picture_file

pytestmark = pytest.mark.django_db


def bring(client: Client, place: Any, name: str, data: bytes, what: str = "file", path: str = "", **more: Any) -> Any:
    place.refresh_from_db()
    return client.post(
        f"/places/{place.pk}/bring/",
        {
            "what": what,
            "path": path,
            "rev": place.head.number,
            "shot": "a",
            "file": SimpleUploadedFile(name, data),
            **more,
        },
    )


def document(place: Any) -> Any:
    place.refresh_from_db()
    return place.head.parsed()


@pytest.fixture
def signed_in(client: Client, place: Any) -> Client:
    client.force_login(place.owner)
    return client


def png() -> bytes:
    buffer = io.BytesIO()
    Image.new("RGB", (8, 8), (200, 40, 30)).save(buffer, "PNG")
    return buffer.getvalue()


def test_a_model_is_set_down_lit_and_exported_with_its_file(signed_in: Client, place: Any) -> None:
    reply = bring(signed_in, place, "box.glb", glb(trimesh.creation.box((2, 2, 2))), "model", east=3, north=9, up=4)
    assert reply.status_code == 200 and reply.json()["id"] == "model1"
    (thing,) = document(place).things
    ground = revision_setting(place.head.pk).still().stands_on(3.0, 9.0)
    assert (thing.name, thing.east, thing.north) == ("box", 3, 9) and thing.up == pytest.approx(ground + 1, abs=1e-3)
    (mark,) = signed_in.get(f"/places/{place.pk}/chart/").json()["marks"]
    ((west, *_),) = ([min(p[0] for p in ring), max(p[0] for p in ring)] for ring in mark.pop("rings"))
    assert west == pytest.approx(-1, abs=0.02)
    assert mark == {"id": "model1", "name": "box", "of": "things", "east": 3, "north": 9, "turn": 0, "scale": 1}
    data, known = ENGINE_OF_LOOKS.look(
        PreviewRequest(
            "v",
            place.pk,
            place.head.pk,
            "a",
            0.0,
            {"x": 3, "y": -3, "z": 5, "bearing": 0, "pitch": -5, "focal": 28},
            1,
            1,
        )
    )
    assert len(data) > 2000 and known["note"] == ""
    assert "box" in ENGINE_OF_LOOKS._open[place.pk].stage.things
    packed = b"".join(signed_in.get(f"/places/{place.pk}/export/"))
    again, assets = unpack(packed)
    assert again.things[0].mesh.sha256 in assets and len(assets) == 2
    # it is named in the history, can be moved, and taken away again
    edit = {
        "rev": place.head.number,
        "command": {"op": "move", "of": "things", "id": "model1", "east": 5.5, "north": 2},
    }
    assert (
        signed_in.post(f"/places/{place.pk}/edit/", json.dumps(edit), content_type="application/json").status_code
        == 200
    )
    assert document(place).things[0].east == 5.5 and place.head.label == "moved model box"


@pytest.mark.parametrize(
    ("name", "data", "what", "path", "words"),
    [
        ("empty.glb", b"", "model", "", "cannot be read"),
        ("a.txt", b"x", "model", "", "no model in what was brought"),
        ("p.png", b"no image", "file", "/surfaces/s/colour_map", "cannot be read"),
        ("p.jpg", b"x", "file", "/surround/picture", r".hdr or .exr"),
        ("t.cube", b"junk", "file", "/shots/a/develop/lut", "no .cube file"),
        ("p.png", png(), "file", "/nowhere/at/all", "no field"),
    ],
)
def test_files_that_cannot_be_used_change_nothing(
    signed_in: Client, place: Any, name: str, data: bytes, what: str, path: str, words: str
) -> None:
    before = place.head.number
    reply = bring(signed_in, place, name, data or b" ", what, path)
    assert reply.status_code == 422 and words in reply.json()["error"]
    place.refresh_from_db()
    assert place.head.number == before


def bring_many(client: Client, place: Any, files: dict[str, bytes], **more: Any) -> Any:
    place.refresh_from_db()
    uploads = [SimpleUploadedFile(Path(name).name, data) for name, data in files.items()]
    asked = {"what": "model", "path": "", "rev": place.head.number, "shot": "a", "names": list(files), "file": uploads}
    return client.post(f"/places/{place.pk}/bring/", {**asked, **more})


def test_a_folder_and_a_zip_come_in_as_one_act(signed_in: Client, place: Any) -> None:
    before = place.head.number
    files = {**in_files(), "post.stl": trimesh.creation.box((0.3, 0.3, 2)).export(file_type="stl")}
    reply = bring_many(signed_in, place, files, east=5, north=6)
    assert reply.status_code == 200, reply.content
    told = reply.json()
    assert "board: 2 triangles, 1 surface, 1 texture" in told["note"] and "post: 12 triangles" in told["note"]
    assert not told["sizes"] and [t.name for t in document(place).things] == ["board", "post"]
    assert place.head.number == before + 1 and place.head.label == "added models board, post"
    packed = b"".join(signed_in.get(f"/places/{place.pk}/export/"))
    assert all(thing.mesh.sha256 in unpack(packed)[1] for thing in document(place).things)
    assert bring_many(signed_in, place, {"all.zip": zipped(in_files())}).status_code == 200
    lost = {name: data for name, data in in_files().items() if not name.endswith(".bin")}
    refused = bring_many(signed_in, place, lost)
    assert refused.status_code == 422 and "board.bin: bring that file too" in refused.json()["error"]
    assert len(document(place).things) == 3


def test_a_size_that_can_hardly_be_meant_is_asked_about(signed_in: Client, place: Any) -> None:
    long = trimesh.creation.box((309, 100, 80)).export(file_type="glb")
    told = bring(signed_in, place, "boat.glb", long, "model", east=2, north=3).json()
    (size,) = told["sizes"]
    assert size["question"] == "boat is 309 m long by its file: 3.09 m (centimetres) or 7.85 m (inches)?"
    assert size["taken"]["text"] == "3.09 m (centimetres)" and float(document(place).things[0].scale) == 0.01
    texts = [other["text"] for other in size["others"]]
    assert texts == ["31 cm (millimetres)", "7.85 m (inches)", "309 m (metres)"]
    xs = [p[0] for ring in size["front"] for p in ring]
    assert max(xs) - min(xs) == pytest.approx(309, rel=0.02) and min(p[1] for r in size["front"] for p in r) < 3
    edit = {"rev": place.head.number, "command": size["others"][0]["command"]}
    again = signed_in.post(f"/places/{place.pk}/edit/", json.dumps(edit), content_type="application/json")
    assert again.status_code == 200
    thing = document(place).things[0]
    ground = revision_setting(place.head.pk).still().stands_on(2.0, 3.0)
    assert (float(thing.scale), float(thing.east), float(thing.north)) == (0.001, 2.0, 3.0)
    assert float(thing.up) == pytest.approx(ground + 0.05, abs=1e-3)  # glTF's y is up: its 100 are its height
    assert place.head.label == "boat is 31 cm long"


def test_a_stale_edit_and_a_missing_file_are_told(signed_in: Client, place: Any) -> None:
    assert bring(signed_in, place, "box.glb", glb(trimesh.creation.box((1, 1, 1))), "model", rev=0).status_code == 409
    assert "Choose a file" in signed_in.post(f"/places/{place.pk}/bring/", {"what": "model", "rev": 1}).json()["error"]


def test_a_texture_on_a_surface_on_a_built_thing(signed_in: Client, place: Any) -> None:
    def edit(command: dict[str, Any]) -> int:
        place.refresh_from_db()
        return signed_in.post(
            f"/places/{place.pk}/edit/",
            json.dumps({"rev": place.head.number, "command": command}),
            content_type="application/json",
        ).status_code

    assert edit({"op": "add", "to": "surfaces", "item": {"id": "s", "name": "Painted", "pattern": "planks"}}) == 200
    assert bring(signed_in, place, "red.png", png(), "file", "/surfaces/s/colour_map").status_code == 200
    surface = document(place).surfaces[0]
    assert surface.colour_map.name == "red.png"
    slip = signed_in.get(f"/places/{place.pk}/slip/?bench=land&selected=s").content.decode()
    assert "red.png" in slip and 'type="color"' in slip and "Painted" in slip
    assert edit({"op": "set", "path": "/surfaces/s/colour_map", "value": None}) == 200
    assert document(place).surfaces[0].colour_map is None
    # a surface that is taken away goes from what had it
    assert (
        edit({"op": "remove", "of": "surfaces", "id": "s"}) == 200
        and edit({"op": "remove", "of": "surfaces", "id": "s"}) != 200
    )
    for bad in (
        {"op": "add", "to": "lamps", "item": {"id": "l", "name": "L", "kind": "disc", "width": 0}},
        {"op": "add", "to": "lamps", "item": {"id": "l"}},
        {"op": "move", "of": "lamps", "id": "gone", "east": 0, "north": 0},
    ):
        assert edit(bad) != 200


def test_light_from_a_picture_and_a_table(signed_in: Client, place: Any, tmp_path: Path) -> None:
    assert (
        bring(
            signed_in, place, "s.exr", picture_file(tmp_path, np.ones((8, 16, 3))), "file", "/surround/picture"
        ).status_code
        == 200
    )
    assert bring(signed_in, place, "t.cube", cube(lambda c: c), "file", "/shots/a/develop/lut").status_code == 200
    place.refresh_from_db()
    data, _ = ENGINE_OF_LOOKS.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 1, 9))
    assert len(data) > 1000 and ENGINE_OF_LOOKS._open[place.pk].stage.world.lights.panorama.shape == (8, 16, 3)


def test_white_from_a_grey_in_the_look(signed_in: Client, place: Any) -> None:
    def pick(**more: Any) -> Any:
        place.refresh_from_db()
        return signed_in.post(
            f"/places/{place.pk}/grey/", {"u": 0.5, "v": 0.5, "shot": "a", "rev": place.head.number, **more}
        )

    ENGINE_OF_LOOKS._open.pop(place.pk, None)
    assert "Wait for the look" in pick().json()["error"]
    ENGINE_OF_LOOKS.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 1, 1))
    state = ENGINE_OF_LOOKS._open[place.pk]
    assert state.light is not None
    state.light[:] = np.array([1.3, 1.0, 0.6], np.float32) * 500  # a warm grey
    reply = pick()
    assert reply.status_code == 200
    shot = document(place).shot("a")
    assert 3000 < shot.exposure.kelvin < 5500 and place.head.label.startswith("white from a grey")
    state = ENGINE_OF_LOOKS._open[place.pk]
    state.light[:] = np.array([0.0, 1.0, 0.0], np.float32)
    assert "too coloured" in pick().json()["error"]
    assert pick(u="x").status_code == 400


def test_noise_is_shown_in_amber_where_the_look_still_needs_samples(place: Any) -> None:
    plain, _ = ENGINE_OF_LOOKS.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 1, 1))
    shown, _ = ENGINE_OF_LOOKS.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 1, 1, True))
    a, b = (np.asarray(Image.open(io.BytesIO(d)).convert("RGB")).astype(float) for d in (plain, shown))
    assert (b[..., 0] - a[..., 0]).max() > 40 and not np.array_equal(a, b)


def test_a_spot_throws_a_shadow_of_a_picture(signed_in: Client, place: Any) -> None:
    def edit(command: dict[str, Any]) -> None:
        place.refresh_from_db()
        sent = json.dumps({"rev": place.head.number, "command": command})
        reply = signed_in.post(f"/places/{place.pk}/edit/", sent, content_type="application/json")
        assert reply.status_code == 200, reply.content

    def slip(tab: str = "thrown") -> str:
        asked = {"bench": "land", "shot": "a", "selected": "spot", "tab": tab}
        return signed_in.get(f"/places/{place.pk}/slip/", asked).content.decode()

    edit({"op": "add", "to": "lamps", "item": {"id": "spot", "name": "Spot", "kind": "spot"}})
    assert "Throw a shadow" in slip() and "Source" in slip("light")
    edit({"op": "set", "path": "/lamps/spot/gobo", "value": Gobo().model_dump(mode="json")})
    assert "Shadow of" in slip() and "Covers" in slip() and "Throw a shadow" not in slip()
    edit({"op": "set", "path": "/lamps/spot/gobo/kind", "value": "picture"})
    assert bring(signed_in, place, "leaf.png", png(), "file", "/lamps/spot/gobo/picture").status_code == 200
    assert "leaf.png" in slip() and "Covers" not in slip()
    packed = b"".join(signed_in.get(f"/places/{place.pk}/export/"))
    again, assets = unpack(packed)
    assert again.lamps[0].gobo is not None and again.lamps[0].gobo.picture is not None
    assert again.lamps[0].gobo.picture.sha256 in assets
    refused = bring(signed_in, place, "leaf.png", b"none", "file", "/lamps/spot/gobo/picture")
    assert refused.status_code == 422 and "cannot be read" in refused.json()["error"]


def test_a_model_is_set_out_and_dressed_from_the_slip(signed_in: Client, place: Any) -> None:
    assert (
        bring(signed_in, place, "box.glb", glb(trimesh.creation.box((1, 1, 1))), "model", east=3, north=9).status_code
        == 200
    )

    def slip(tab: str = "copies") -> str:
        asked = {"bench": "land", "shot": "a", "selected": "model1", "tab": tab}
        return signed_in.get(f"/places/{place.pk}/slip/", asked).content.decode()

    assert "Set out copies" in slip() and "along a line" in slip() and "Its surfaces" in slip("form")
    place.refresh_from_db()
    value = {"laid": "line", "line": [[0, 0], [9, 0]], "count": 200, "step": 2}
    sent = {"rev": place.head.number, "command": {"op": "set", "path": "/things/model1/copies", "value": value}}
    assert (
        signed_in.post(f"/places/{place.pk}/edit/", json.dumps(sent), content_type="application/json").status_code
        == 200
    )
    assert "Laid out" in slip() and "Turned along" in slip() and "Columns" not in slip()
    (mark,) = signed_in.get(f"/places/{place.pk}/chart/").json()["marks"]
    assert [(round(e + 3, 2), round(n + 9, 2)) for e, n, _, _ in mark["others"]] == [
        (0, 0),
        (2, 0),
        (4, 0),
        (6, 0),
        (8, 0),
    ]


def test_a_heavy_model_is_reduced_from_the_slip(signed_in: Client, place: Any) -> None:
    ball = trimesh.creation.icosphere(subdivisions=6)
    assert bring(signed_in, place, "ball.glb", glb(ball), "model", east=3, north=9).status_code == 200
    asked = {"bench": "land", "shot": "a", "selected": "model1", "tab": "form"}
    slip = signed_in.get(f"/places/{place.pk}/slip/", asked).content.decode()
    assert "81,920" in slip and "Reduce it" in slip

    def reduce(to: int) -> Any:
        sent = {"rev": place.head.number, "command": {"op": "reduce", "id": "model1", "to": to}, "shot": "a"}
        return signed_in.post(f"/places/{place.pk}/edit/", json.dumps(sent), content_type="application/json")

    place.refresh_from_db()
    assert "no more than 90,000" in reduce(90_000).json()["error"]
    assert reduce(3000).status_code == 200
    slip = signed_in.get(f"/places/{place.pk}/slip/", asked).content.decode()
    assert "3,000" in slip and "Reduce it" not in slip
    assert place.head.number == 2 and document(place).things[0].mesh.name == "ball.glb"
