"""Files that a stranger made to read what is not theirs, or to take all there is: each refused in a sentence, at once.

Each is made here; none is kept. What counts is that its size is known before anything is made: memory is held to what
`resource` says of a process of its own.
"""

from __future__ import annotations

import base64
import bz2
import io
import json
import resource
import struct
import time
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import rasterio
from PIL import Image
from rasterio.transform import from_origin

from lumwick.built.bring.bundle import gathered
from lumwick.built.bring.importing import import_model
from lumwick.built.gobo_film import read_gobo_film
from lumwick.built.meshes import read_mesh
from lumwick.deliver.paths_in import read_path
from lumwick.develop.view import tabled
from lumwick.errors import LumwickError, PlaceError, RouteError
from lumwick.land.elevation import read_elevation, read_ground
from lumwick.place.files import parse, unpack
from lumwick.place.nature import Site
from lumwick.strangers import inside, picture, pixels
from lumwick.trace.textures import read_panorama

SECRET = "the-servers-own-secret"
BYTES = 300_000_000
"""Memory that a file of a few thousand bytes may take."""


# -- what a few bytes may cost ------------------------------------------------------------------------------------


SECONDS: list[float] = []
"""Of processor time that each refusal took, for ``make bench ONLY=strangers``."""


def costs(read: Callable[[], Any], match: str = ".") -> None:
    """It is refused in a sentence, and without taking memory; what takes for ever would not end."""
    before, begun = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.process_time()
    with pytest.raises(LumwickError, match=match) as told:
        read()
    SECONDS.append(time.process_time() - begun)
    assert (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024 < BYTES
    words = str(told.value)
    assert words[0].isupper() or (words[0].islower() and "\n" not in words and "Traceback" not in words)


def png_head(width: int, height: int, depth: int, colour: int) -> bytes:
    """A PNG of so many pixels, all the same, as small as it can be packed."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    packer, rows = zlib.compressobj(9), []
    wide = 1 + width * depth // 8 * {0: 1, 2: 3, 6: 4}[colour]
    for _ in range(height):
        rows.append(packer.compress(bytes(wide)))
    rows.append(packer.flush())
    head = struct.pack(">IIBBBBB", width, height, depth, colour, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", b"".join(rows)) + chunk(b"IEND", b"")


def gltf(told: dict[str, Any], body: bytes = b"") -> bytes:
    """A glTF in one file."""
    told = {"asset": {"version": "2.0"}, **told}
    if body:
        uri = "data:application/octet-stream;base64," + base64.b64encode(body).decode()
        told["buffers"] = [{"byteLength": len(body), "uri": uri}]
    return json.dumps(told).encode()


TRIANGLE = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
VIEW = {"bufferViews": [{"buffer": 0, "byteLength": 36}]}
POSITION = {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}


def one_mesh(accessors: list[dict[str, Any]], nodes: list[dict[str, Any]], primitive: dict[str, Any]) -> bytes:
    roots = [k for k in range(len(nodes))]
    told = {**VIEW, "accessors": accessors, "meshes": [{"primitives": [primitive]}], "nodes": nodes}
    return gltf({**told, "scenes": [{"nodes": roots}], "scene": 0}, TRIANGLE)


def test_an_array_of_nothing_is_not_believed_in_its_length() -> None:
    """An accessor without a view: 33 million corners out of no bytes."""
    position = {"componentType": 5126, "count": 33_000_000, "type": "VEC3"}
    data = one_mesh([position], [{"mesh": 0}], {"attributes": {"POSITION": 0}})
    for read in (lambda: read_mesh(data, "a.gltf"), lambda: import_model({"a.gltf": data})):
        costs(read, "cannot be read|corners")
    sound = one_mesh([POSITION], [{"mesh": 0}], {"attributes": {"POSITION": 0}})
    assert len(read_mesh(sound, "a.gltf").parts[0].triangles) == 1


def test_copies_are_counted_before_they_are_made() -> None:
    """Instances and nodes: a few bytes each, a gigabyte together."""
    many = {"EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": 1}}}
    rows = {"componentType": 5126, "count": 3, "type": "VEC3", "bufferView": 0}
    wide = {"componentType": 5126, "count": 90_000_000, "type": "VEC3", "bufferView": 0}
    instanced = one_mesh([POSITION, wide], [{"mesh": 0, "extensions": many}], {"attributes": {"POSITION": 0}})
    costs(lambda: import_model({"a.gltf": instanced}), "copies")
    nodes = [{"mesh": 0} for _ in range(250_000)]
    costs(lambda: read_mesh(one_mesh([POSITION], nodes, {"attributes": {"POSITION": 0}}), "a.gltf"), "copies")
    few = one_mesh([POSITION, rows], [{"mesh": 0, "extensions": many}], {"attributes": {"POSITION": 0}})
    assert len(import_model({"a.gltf": few})[0].mesh.parts[0].triangles) == 3


@pytest.mark.parametrize(("depth", "colour"), [(16, 0), (8, 6), (16, 6)])
def test_large_pictures_are_refused_by_their_headings(depth: int, colour: int) -> None:
    data = png_head(8600, 8600, depth, colour)
    costs(lambda: pixels(data, "wide.png", 4096, []), "8600x8600")
    costs(lambda: picture(data, "wide.png"), "at most")


def test_pictures_that_run_programs_are_no_pictures() -> None:
    """PostScript, whatever it is called: no interpreter is asked."""
    script = b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 10 10\n(x) run\n%%EOF\n"
    costs(lambda: picture(script, "leaf.png"), "no kind|cannot be read")
    for kind in ("GIF", "PDF", "PPM"):
        held = io.BytesIO()
        Image.new("RGB", (4, 4)).save(held, kind)
        costs(lambda held=held: picture(held.getvalue(), "a.png"), "cannot be read")


def test_environment_pictures_of_a_thousand_channels(tmp_path: Path) -> None:
    import OpenImageIO as oiio

    spec = oiio.ImageSpec(64, 32, 1024, "half")
    path = tmp_path / "deep.exr"
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec) and out.write_image(np.zeros((32, 64, 1024), np.float16)) and out.close()
    costs(lambda: read_panorama(path.read_bytes(), "deep.exr"), "1024 channels")
    costs(lambda: read_panorama(b"P6\n4 2\n255\n" + bytes(24), "sky.hdr"), "another kind")


# -- land ---------------------------------------------------------------------------------------------------------


def vrt(source: str) -> bytes:
    return (
        f'<VRTDataset rasterXSize="8" rasterYSize="8"><VRTRasterBand dataType="Byte" band="1" subClass='
        f'"VRTRawRasterBand"><SourceFilename relativeToVRT="0">{source}</SourceFilename><ImageOffset>0</ImageOffset>'
        f"<PixelOffset>1</PixelOffset><LineOffset>8</LineOffset></VRTRasterBand></VRTDataset>"
    ).encode()


WMS = b"<GDAL_WMS><Service name='TMS'><ServerUrl>http://127.0.0.1:9/x</ServerUrl></Service></GDAL_WMS>"


@pytest.mark.parametrize("data", [vrt("/etc/hostname"), vrt("/vsicurl/http://127.0.0.1:9/x"), WMS])
def test_heights_are_read_by_their_own_drivers_alone(data: bytes, tmp_path: Path) -> None:
    """A virtual file of 400 bytes gave any file of the server as heights."""
    costs(lambda: read_ground(data), "damaged")
    for name in ("a.tif", "a.asc", "a.png", "a.vrt"):
        path = tmp_path / name
        path.write_bytes(data)
        costs(lambda path=path: read_elevation(path, size_m=100, reduce=True), "not an elevation file")


def test_sparse_surveys_and_reducing_have_bounds(tmp_path: Path) -> None:
    path = tmp_path / "sparse.tif"
    options = {"driver": "GTiff", "count": 1, "dtype": "float32", "sparse_ok": True, "tiled": True}
    for side in (60_000, 30_000):
        with rasterio.open(
            path, "w", width=side, height=side, transform=from_origin(0, 0, 1, 1), crs="EPSG:32631", **options
        ):
            pass
        costs(lambda: read_elevation(path, reduce=True), "more than can be read|next to nothing")


# -- packages -----------------------------------------------------------------------------------------------------


def zipped(files: dict[str, bytes], how: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", how) as z:
        for name, data in files.items():
            z.writestr(name, data)
    return out.getvalue()


def test_zips_are_not_believed() -> None:
    """A header that lies, members that pack a gigabyte into nothing, paths that lead out, two thousand files."""
    whole = zipped({"zeros.bin": bytes(400_000_000)})
    lying = whole.replace(struct.pack("<I", 400_000_000), struct.pack("<I", 100))
    assert len(whole) < 500_000
    place = zipped({"place.json": b"{}", "assets/a": bytes(600_000_000)})
    costs(lambda: unpack(place), "unpacks to more")
    costs(lambda: gathered({"a.zip": lying}), "cannot be unpacked|damaged")
    small = zipped({"x.bin": bz2.compress(b"")}, zipfile.ZIP_BZIP2)
    costs(lambda: gathered({"a.zip": small}), "plain zip")
    for name in ("../out.txt", "/etc/x", "c:/x", "a\x00b", "n" * 300):
        with pytest.raises(PlaceError):
            inside(name)
    costs(lambda: gathered({"a.zip": zipped({f"{k}": b"" for k in range(2001)})}), "2,001 files")


@pytest.mark.parametrize("opening", [b"[", b'{"format":'])
def test_json_of_two_hundred_thousand_levels(opening: bytes) -> None:
    deep = opening * 200_000
    costs(lambda: unpack(deep), "too deep|no JSON")
    costs(lambda: read_mesh(b'{"asset":' + deep, "a.gltf"), "cannot be read")
    held: Any = []
    for _ in range(5000):
        held = [held]
    costs(lambda: parse({"format": "lumwick-place", "version": 1, "extra": held}), "too deep|cannot be used")


@pytest.mark.parametrize(
    ("path", "value"),
    [
        (("name",), "a\x00b"),
        (("name",), "two\r\nlines"),
        (("site", "latitude"), float("nan")),
        (("site", "latitude"), 1e300),
        (("name",), "n" * 30_000),
        (("site", "latitude"), 10**200),
    ],
)
def test_documents_hold_no_signs_that_are_none(path: tuple[str, ...], value: Any) -> None:
    from tests.conftest import small_place

    data = small_place().model_dump(mode="json")
    held = data
    for part in path[:-1]:
        held = held[part]
    held[path[-1]] = value
    costs(lambda: parse(data))


def test_numbers_of_five_thousand_digits() -> None:
    costs(lambda: unpack(b'{"format": "lumwick-place", "version": ' + b"9" * 5000 + b"}"), "no JSON")


# -- paths of cameras ---------------------------------------------------------------------------------------------


def camera(told: dict[str, Any], body: bytes) -> bytes:
    node = {"camera": 0, "name": "c"}
    cameras = [{"type": "perspective", "perspective": {"yfov": 1.0}}]
    return gltf({"nodes": [node], "cameras": cameras, "scenes": [{"nodes": [0]}], **told}, body)


def moved(times: list[float], **more: Any) -> bytes:
    keys = np.array(times, np.float32).tobytes()
    values = np.zeros((len(times), 3), np.float32).tobytes()
    n = len(times)
    told = {
        "bufferViews": [
            {"buffer": 0, "byteLength": 4 * n},
            {"buffer": 0, "byteOffset": 4 * n, "byteLength": 12 * n},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": n, "type": "SCALAR"},
            {"bufferView": 1, "componentType": 5126, "count": n, "type": "VEC3"},
        ],
        "animations": [
            {
                "samplers": [{"input": 0, "output": 1}],
                "channels": [{"sampler": 0, "target": {"node": 0, "path": "translation"}}],
            }
        ],
    }
    return camera({**told, **more}, keys + values)


def test_a_cameras_numbers_are_its_own(tmp_path: Path) -> None:
    """A buffer that names a file of the server came back exactly, as a path."""
    secret = tmp_path / "secret"
    secret.write_text(SECRET * 4)
    for uri in (str(secret), f"file://{secret}", "../secret", "/etc/passwd"):
        data = moved([0.0, 1.0])
        told = json.loads(data)
        told["buffers"] = [{"byteLength": 32, "uri": uri}]
        costs(lambda told=told: read_path(json.dumps(told).encode(), "a.gltf", Site()), "in another file")
    assert read_path(moved([0.0, 1.0]), "a.gltf", Site()).track is not None


def test_a_ring_of_nodes_and_keys_for_ever() -> None:
    ring = [{"camera": 0, "children": [1]}, {"children": [0]}]
    costs(lambda: read_path(moved([0.0, 1.0], nodes=ring), "a.gltf", Site()), "ring")
    costs(lambda: read_path(moved([0.0, 1e8]), "a.gltf", Site()), "minutes")
    costs(lambda: read_path(moved([1e8, 1e8 + 64]), "a.gltf", Site()), "minutes")


# -- drawings -----------------------------------------------------------------------------------------------------


def test_a_drawing_that_uses_itself_over_and_over() -> None:
    """Each group is the one before it twice, 24 deep: sixteen million lines in 1.5 kB."""
    groups = ['<g id="g0"><line x1="0" y1="0" x2="1" y2="1"/></g>']
    groups += [f'<g id="g{k}"><use href="#g{k - 1}"/><use href="#g{k - 1}"/></g>' for k in range(1, 25)]
    svg = f'<svg xmlns="http://www.w3.org/2000/svg">{"".join(groups)}</svg>'.encode()
    assert len(svg) < 3000
    costs(lambda: read_path(svg, "a.svg", Site(), "m"), "over and over")
    itself = b'<svg xmlns="http://www.w3.org/2000/svg"><g id="a"><use href="#a"/></g></svg>'
    costs(lambda: read_path(itself, "a.svg", Site(), "m"), "over and over")
    words = b'<!DOCTYPE s [<!ENTITY a "aaaaaaaaaa">]><svg xmlns="http://www.w3.org/2000/svg">&a;</svg>'
    costs(lambda: read_path(words, "a.svg", Site(), "m"), "ENTITY")
    plain = b'<svg xmlns="http://www.w3.org/2000/svg"><path id="p" d="M0 0 L10 5 L20 0"/></svg>'
    assert len(read_path(plain, "a.svg", Site(), "m").points) == 3
    costs(lambda: read_path(b"<gpx><trk/></gpx>", "walk.svg", Site(), "m"), "another kind")


def dxf(radius: float) -> bytes:
    import ezdxf

    drawing = ezdxf.new("R2010")  # type: ignore[attr-defined]
    drawing.modelspace().add_arc((0, 0), radius, 0, 170)
    held = io.StringIO()
    drawing.write(held)
    return held.getvalue().encode()


def test_an_arc_of_a_billion_kilometres() -> None:
    costs(lambda: read_path(dxf(1e12), "a.dxf", Site(), "m"), "too far")
    assert len(read_path(dxf(100_000.0), "a.dxf", Site(), "m").points) < 2000
    costs(lambda: read_path(b"\xff\xfe\x00garbage", "a.dxf", Site(), "m"), "no DXF")


# -- films and tables ---------------------------------------------------------------------------------------------


def test_a_film_that_lists_other_films(tmp_path: Path) -> None:
    import av

    other = tmp_path / "other.mp4"
    with av.open(str(other), "w") as out:
        stream = out.add_stream("h264", rate=24)
        stream.width = stream.height = 64
        stream.pix_fmt = "yuv420p"
        for _ in range(3):
            out.mux(stream.encode(av.VideoFrame.from_ndarray(np.zeros((64, 64, 3), np.uint8), "rgb24")))
        out.mux(stream.encode(None))
    assert len(read_gobo_film(other.read_bytes(), "own.mp4").frames) == 3
    for text in (f"ffconcat version 1.0\nfile '{other}'\n", f"#EXTM3U\n#EXTINF:1,\n{other}\n#EXT-X-ENDLIST\n"):
        costs(lambda text=text: read_gobo_film(text.encode(), "list.mp4"), "cannot be read as a film")


def test_tables_that_refer_elsewhere(tmp_path: Path) -> None:
    other = tmp_path / "other.cube"
    other.write_text("LUT_3D_SIZE 2\n" + "1 0 0\n" * 8)
    ctf = (
        '<?xml version="1.0"?><ProcessList id="a" version="2"><Reference inBitDepth="32f" outBitDepth="32f" '
        f'path="{other}"/></ProcessList>'
    )
    grey = np.full((1, 1, 3), 0.5, np.float32)
    costs(lambda: tabled(grey, ctf.encode(), 1.0), "cannot be read")
    costs(lambda: tabled(grey, b"LUT_3D_SIZE 4096\n0 0 0\n", 1.0), "cannot be read")
    assert tabled(grey, other.read_bytes(), 1.0)[0, 0] == pytest.approx([1, 0, 0])
    both = "LUT_1D_SIZE 2\nLUT_3D_SIZE 2\n0 0 0\n1 1 1\n" + "".join(
        f"{r} {g} {b}\n" for b in (0, 1) for g in (0, 1) for r in (0, 1)
    )
    assert tabled(grey, both.encode(), 1.0)[0, 0] == pytest.approx([0.5, 0.5, 0.5], abs=1e-5)


# -- USD ----------------------------------------------------------------------------------------------------------

USD_MESH = """def Mesh "m" {
    point3f[] points = [(0,0,0),(1,0,0),(0,1,0)]
    int[] faceVertexCounts = [3]
    int[] faceVertexIndices = [0,1,2]
}"""


def test_a_stage_refers_to_what_was_brought_alone(tmp_path: Path) -> None:
    outside = tmp_path / "outside.usda"
    outside.write_text(f'#usda 1.0\n(defaultPrim = "r")\ndef Xform "r" {{\n{USD_MESH}\n}}')
    for name in (str(outside), "../outside.usda", f"file:{outside}", "/etc/hostname", "http://127.0.0.1:9/a.usda"):
        stage = f'#usda 1.0\ndef "a" (references = @{name}@) {{}}'.encode()
        costs(lambda stage=stage: import_model({"a.usda": stage}), "no file of what was brought")
        costs(lambda stage=stage: read_path(stage, "a.usda", Site()), "no file of what was brought")
    sub = f"#usda 1.0\n(subLayers = [@{outside}@])".encode()
    costs(lambda: import_model({"a.usda": sub}), "no file of what was brought")
    inner = outside.read_bytes()
    whole = import_model({"a.usda": b'#usda 1.0\ndef "a" (references = @./in.usda@) {}', "in.usda": inner})
    assert len(whole[0].mesh.parts) == 1


def test_classes_that_refer_twice_each() -> None:
    """Thirty classes, each of which holds the next one twice: a thousand million things in 3 kB."""
    parts = [f'class "c0" {{\n{USD_MESH}\n}}']
    parts += [
        f'class "c{k}" {{\ndef "a" (references = </c{k - 1}>) {{}}\ndef "b" (references = </c{k - 1}>) {{}}\n}}'
        for k in range(1, 31)
    ]
    stage = ("#usda 1.0\n" + "\n".join(parts) + '\ndef "all" (references = </c30>) {}').encode()
    assert len(stage) < 4000
    costs(lambda: import_model({"a.usda": stage}), "over and over")
    costs(lambda: read_path(stage, "a.usda", Site()), "over and over")


def test_a_damaged_stage_is_told() -> None:
    for data in (b"PXR-USDC" + bytes(80), b"#usda 1.0\ndef Mesh {", b"#usda 1.0\n(startTimeCode = 1", b""):
        with pytest.raises((PlaceError, RouteError)):
            import_model({"a.usd": data})


# -- large honest files -------------------------------------------------------------------------------------------


def grid_obj(side: int) -> bytes:
    x, y = np.meshgrid(np.arange(side), np.arange(side))
    held = io.BytesIO()
    np.savetxt(held, np.column_stack([x.ravel(), y.ravel(), np.sin(x.ravel())]), fmt="v %.5f %.5f %.5f")
    i = (np.arange(side - 1)[:, None] * side + np.arange(side - 1)).ravel() + 1
    np.savetxt(held, np.column_stack([i, i + 1, i + side + 1, i + side]), fmt="f %d %d %d %d")
    return held.getvalue()


def test_a_large_honest_obj_is_read_and_one_that_is_too_large_is_counted_first() -> None:
    data = grid_obj(600)
    assert len(read_mesh(data, "hill.obj").parts[0].triangles) == 2 * 599 * 599
    costs(lambda: read_mesh(b"v 0 0 0\n" + b"f 1 1 1 1 1 1 1 1 1 1\n" * 1_100_000, "many.obj"), "triangles")


# -- of 200 real files, turned, cut and zeroed --------------------------------------------------------------------


def honest() -> dict[str, bytes]:
    """A file of each kind that is brought in."""
    import trimesh

    ball = trimesh.creation.icosphere(2)
    glb = trimesh.Scene([ball]).export(file_type="glb")
    usd = f'#usda 1.0\n(upAxis = "Z")\ndef Xform "r" {{\n{USD_MESH}\n}}'.encode()
    gpx = b'<gpx version="1.1"><trk><trkseg>' + b'<trkpt lat="54.6" lon="-3.5"/><trkpt lat="54.61" lon="-3.5"/>' * 9
    return {
        "a.ply": ball.export(file_type="ply"),
        "b.ply": ball.export(file_type="ply", encoding="ascii"),
        "a.stl": ball.export(file_type="stl"),
        "a.obj": ball.export(file_type="obj").encode(),
        "a.glb": glb,
        "a.usda": usd,
        "a.dxf": dxf(10.0),
        "a.gpx": gpx + b"</trkseg></trk></gpx>",
        "a.svg": b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0 L10 5 L20 0"/></svg>',
        "a.zip": zipped({"place.json": b"{}", "x": bytes(2000)}),
    }


@pytest.mark.parametrize("name", sorted(honest()))
def test_bytes_turned_cut_and_zeroed_end_in_a_sentence(name: str) -> None:
    data, dice = honest()[name], np.random.default_rng(sum(name.encode()))

    def read(held: bytes) -> None:
        if name.endswith((".dxf", ".gpx", ".svg")):
            read_path(held, name, Site(), "m")
        elif name.endswith(".zip"):
            unpack(held)
        else:
            import_model({name: held})

    for _ in range(40):
        held = bytearray(data)
        how = dice.integers(4)
        at = int(dice.integers(len(held)))
        if how == 0:
            held = held[:at]
        elif how == 1:
            held[at : at + 64] = bytes(len(held[at : at + 64]))
        else:
            for k in dice.integers(len(held), size=1 + int(how == 3) * 20):
                held[k] ^= 1 << int(dice.integers(8))
        try:
            read(bytes(held))
        except LumwickError as error:
            assert str(error)


def test_draco_that_is_damaged_is_told() -> None:
    import DracoPy

    packed = bytearray(DracoPy.encode(np.random.default_rng(1).random((12, 3)), np.arange(12).reshape(4, 3)))
    for k in range(0, len(packed), 3):
        held = bytearray(packed)
        held[k] ^= 0xFF
        packing = {"KHR_draco_mesh_compression": {"bufferView": 0, "attributes": {"POSITION": 0}}}
        primitive = {"attributes": {"POSITION": 0}, "indices": 1, "extensions": packing}
        told = {
            "bufferViews": [{"buffer": 0, "byteLength": len(held)}],
            "accessors": [
                {"componentType": 5126, "count": 12, "type": "VEC3"},
                {"componentType": 5125, "count": 12, "type": "SCALAR"},
            ],
            "extensionsUsed": ["KHR_draco_mesh_compression"],
            "meshes": [{"primitives": [primitive]}],
            "nodes": [{"mesh": 0}],
            "scenes": [{"nodes": [0]}],
        }
        try:
            import_model({"a.gltf": gltf(told, bytes(held))})
        except PlaceError as error:
            assert "cannot be read" in str(error) or "holds no triangles" in str(error)


def test_the_kind_of_a_model_is_told_by_its_bytes() -> None:
    import trimesh

    ply = trimesh.creation.box((1, 2, 3)).export(file_type="ply")
    mesh = read_mesh(ply, "box.obj")
    assert len(mesh.parts[0].triangles) == 12 and "ply" in " ".join(mesh.notes)
    stl = trimesh.creation.box((1, 2, 3)).export(file_type="stl")
    assert import_model({"box.ply": stl})[0].mesh.bounds[1][2] == pytest.approx(1.5)
