"""OBJ files: triangles by surface, with the materials of their MTL files.

References
----------
Wavefront Technologies, Object files (.obj) and Material library file (.mtl) formats, Advanced Visualizer manual,
appendices B1 and B5; the keywords Pr, Pm, Pc, Pcr and norm are common practice of exporters.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.built.gltf_scene import NITS
from lumwick.built.images import pixels_of
from lumwick.built.meshes import MeshSurface, beside_file, check_amount
from lumwick.errors import PlaceError
from lumwick.motion.colour import to_linear

NONE = -(2**31)
"""Of a corner: it has no such index."""
MATERIALS_AT_MOST = 2000
LONE = 0.02
"""Share of the corners of a file that may belong to no face before it is said (practice: some exporters leave some)."""
CUT = 0.5
"""Opacity under which a cut-out is open."""


@dataclass(frozen=True)
class Piece:
    """Triangles of one surface: corners' positions (m, 3, 3), texture coordinates (m, 3, 2) and normals (m, 3, 3) or
    None."""

    surface: MeshSurface
    vertices: NDArray[np.float64]
    triangles: NDArray[np.int64]
    uv: NDArray[np.float64] | None
    normals: NDArray[np.float64] | None


@nb.njit(cache=True, nogil=True)
def _count(text):  # type: ignore[no-untyped-def]
    """Lines of each kind: positions, texture coordinates, normals, corners of faces, faces."""
    out = np.zeros(5, np.int64)
    n, i = len(text), 0
    while i < n:
        while i < n and (text[i] == 32 or text[i] == 9):
            i += 1
        a = text[i] if i < n else 10
        b = text[i + 1] if i + 1 < n else 10
        if a == 118:  # v
            if b == 116:
                out[1] += 1
            elif b == 110:
                out[2] += 1
            elif b == 32 or b == 9:
                out[0] += 1
        face = a == 102 and (b == 32 or b == 9)
        out[4] += 1 if face else 0
        gap = True
        i += 1
        while i < n and text[i] != 10:
            blank = text[i] == 32 or text[i] == 9 or text[i] == 13
            if face and gap and not blank:
                out[3] += 1
            gap = blank
            i += 1
        i += 1
    return out


@nb.njit(cache=True, nogil=True)
def _number(text, i, n):  # type: ignore[no-untyped-def]
    """A number from ``i`` on, and where it ends; no number where there is none."""
    while i < n and (text[i] == 32 or text[i] == 9):
        i += 1
    sign, value, digits, scale, power = 1.0, 0.0, 0, 1.0, 0
    if i < n and (text[i] == 45 or text[i] == 43):
        sign = -1.0 if text[i] == 45 else 1.0
        i += 1
    while i < n and 48 <= text[i] <= 57:
        value = value * 10 + (text[i] - 48)
        digits += 1
        i += 1
    if i < n and text[i] == 46:
        i += 1
        while i < n and 48 <= text[i] <= 57:
            scale *= 0.1
            value += scale * (text[i] - 48)
            digits += 1
            i += 1
    if digits and i < n and (text[i] == 101 or text[i] == 69):
        i += 1
        down = i < n and text[i] == 45
        if i < n and (text[i] == 45 or text[i] == 43):
            i += 1
        while i < n and 48 <= text[i] <= 57 and power < 400:
            power = power * 10 + (text[i] - 48)
            i += 1
        value *= 10.0 ** (-power if down else power)
    whole = digits > 0
    while i < n and text[i] != 32 and text[i] != 9 and text[i] != 10 and text[i] != 13:
        whole = False
        i += 1
    return (sign * value if whole else np.nan), i


@nb.njit(cache=True, nogil=True)
def _whole(text, i, n):  # type: ignore[no-untyped-def]
    """A whole number from ``i`` on, 0 if there is none, and where it ends."""
    sign, value = 1, 0
    if i < n and text[i] == 45:
        sign = -1
        i += 1
    while i < n and 48 <= text[i] <= 57 and value < 2_000_000_000:
        value = value * 10 + (text[i] - 48)
        i += 1
    return sign * value, i


@nb.njit(cache=True, nogil=True)
def _read(text, v, vt, vn, corner, first, starts):  # type: ignore[no-untyped-def]
    """Fill positions, texture coordinates, normals, corners (position, texture, normal), each face's first corner and
    where its line begins."""
    n, i = len(text), 0
    iv = it = inn = ic = face = 0
    while i < n:
        begins = i
        while i < n and (text[i] == 32 or text[i] == 9):
            i += 1
        a = text[i] if i < n else 10
        b = text[i + 1] if i + 1 < n else 10
        if a == 118 and (b == 32 or b == 9):
            i += 1
            for c in range(3):
                v[iv, c], i = _number(text, i, n)
            iv += 1
        elif a == 118 and b == 116:
            i += 2
            for c in range(2):
                vt[it, c], i = _number(text, i, n)
            it += 1
        elif a == 118 and b == 110:
            i += 2
            for c in range(3):
                vn[inn, c], i = _number(text, i, n)
            inn += 1
        elif a == 102 and (b == 32 or b == 9):
            i += 1
            first[face], starts[face] = ic, begins
            face += 1
            while i < n and text[i] != 10:
                if text[i] == 32 or text[i] == 9 or text[i] == 13:
                    i += 1
                    continue
                for k in range(3):
                    number, j = _whole(text, i, n)
                    count = iv if k == 0 else (it if k == 1 else inn)
                    at = NONE
                    if j > i and number > 0:
                        at = number - 1
                    elif j > i and number < 0:
                        at = count + number
                    if k == 0 and at == NONE:
                        at = -1
                    corner[ic, k] = at
                    i = j
                    if i < n and text[i] == 47:
                        i += 1
                    else:
                        for rest in range(k + 1, 3):
                            corner[ic, rest] = NONE
                        break
                ic += 1
                while i < n and text[i] != 32 and text[i] != 9 and text[i] != 10 and text[i] != 13:
                    i += 1
        while i < n and text[i] != 10:
            i += 1
        i += 1
    first[face] = ic


def pieces_of(data: bytes, name: str, files: dict[str, bytes], path: str, notes: list[str]) -> list[Piece]:
    """An OBJ's triangles, a piece for each of its surfaces.

    Parameters
    ----------
    files : dict of str to bytes
        Files that it may refer to, by their paths.
    path : str
        Its own among them.

    Raises
    ------
    PlaceError
        It holds no triangles, or too many.
    """
    data = data.replace(b"\\\r\n", b"  ").replace(b"\\\n", b"  ")
    text = np.frombuffer(data, np.uint8)
    count = _count(text)
    if count[3] - 2 * count[4] > 0:
        check_amount(name, int(count[3] - 2 * count[4]))
    v, vt, vn = np.empty((count[0], 3)), np.empty((count[1], 2)), np.empty((count[2], 3))
    corner, first, starts = np.empty((count[3], 3), np.int64), np.zeros(count[4] + 1, np.int64), np.empty(count[4], int)
    _read(text, v, vt, vn, corner, first, starts)
    t, face = _triangles(corner, first, len(v), notes)
    check_amount(name, len(t))
    _say_if_cut(data, corner, len(v), notes)
    used, of_face = _uses(data, starts)
    materials = _materials(data, files, path, notes)
    out = []
    for number in np.unique(of_face[face]):
        mine = t[of_face[face] == number]
        surface = materials.get(used[number], None)
        if surface is None:
            surface = MeshSurface(used[number] or "plain")
            if used[number] and materials:
                notes.append(f"the material {used[number]} is in none of its files: a grey stands for it")
        out += _split(surface, mine, corner, v, vt, vn)
    return out


def _triangles(
    corner: NDArray[np.int64], first: NDArray[np.int64], positions: int, notes: list[str]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Triangles as numbers of corners (m, 3), of faces cut into fans, and the face of each; faces with corners that
    are not there are left out."""
    sides = np.diff(first)
    many = np.maximum(sides - 2, 0)
    face = np.repeat(np.arange(len(sides)), many)
    k = np.arange(len(face)) - np.repeat(np.cumsum(many) - many, many)
    t = np.stack([first[:-1][face], first[:-1][face] + k + 1, first[:-1][face] + k + 2], 1)
    there = (corner[:, 0] >= 0) & (corner[:, 0] < positions)
    sound = there[t].all(1)
    if lost := int((~sound).sum()):
        notes.append(f"{lost:,} triangles with corners that are not in the file were left out")
    return t[sound], face[sound]


def _say_if_cut(data: bytes, corner: NDArray[np.int64], positions: int, notes: list[str]) -> None:
    """Note what tells that a file was cut short: a last line that breaks off, corners that no face has."""
    last = data.rstrip(b" \t").rpartition(b"\n")[2].strip()
    words = last.split()
    least = {b"v": 4, b"vn": 4, b"f": 4, b"vt": 3}
    broken = bool(words) and len(words) < least.get(words[0], 0)
    used = np.zeros(positions, bool)
    used[corner[(corner[:, 0] >= 0) & (corner[:, 0] < positions), 0]] = True
    lone = int((~used).sum())
    if broken or lone > max(LONE * positions, 3):
        why = "its last line breaks off" if broken else f"{lone:,} of its {positions:,} corners belong to no triangle"
        notes.append(f"{why}: the file may be cut short, and parts of it missing")


def _uses(data: bytes, starts: NDArray[np.int64]) -> tuple[list[str], NDArray[np.int64]]:
    """Names of materials, the first for none, and the number of each face's."""
    names, numbers, at, found = [""], {"": 0}, [0], [0]
    here = -1
    while (here := data.find(b"usemtl", here + 1)) >= 0:
        if here and data[here - 1 : here] not in (b"\n", b" ", b"\t", b"\r"):
            continue
        name = data[here + 6 : data.find(b"\n", here) if b"\n" in data[here : here + 400] else here + 400]
        said = name.decode("utf-8", "replace").strip()[:200]
        if said not in numbers:
            if len(names) > MATERIALS_AT_MOST:
                raise PlaceError(f"It has more than {MATERIALS_AT_MOST:,} materials: join some of them.")
            numbers[said] = len(names)
            names.append(said)
        at.append(here)
        found.append(numbers[said])
    return names, np.asarray(found)[np.searchsorted(at, starts, side="right") - 1]


def _split(
    surface: MeshSurface,
    t: NDArray[np.int64],
    corner: NDArray[np.int64],
    v: NDArray[np.float64],
    vt: NDArray[np.float64],
    vn: NDArray[np.float64],
) -> list[Piece]:
    """Triangles of one surface, those with texture coordinates or normals apart from those without."""
    at = corner[t]
    has_uv = ((at[..., 1] >= 0) & (at[..., 1] < len(vt))).all(1)
    has_normals = ((at[..., 2] >= 0) & (at[..., 2] < len(vn))).all(1)
    out = []
    for uv, normals in ((True, True), (True, False), (False, True), (False, False)):
        mine = at[(has_uv == uv) & (has_normals == normals)]
        if len(mine):
            used = np.zeros(len(v), bool)
            used[mine[..., 0].ravel()] = True
            inverse = (np.cumsum(used) - 1)[mine[..., 0]]
            laid = vt[mine[..., 1]] if uv else None
            facing = vn[mine[..., 2]] if normals else None
            out.append(Piece(surface, v[used], inverse.reshape(-1, 3), laid, facing))
    return out


# -- materials ----------------------------------------------------------------------------------------------------


def _materials(data: bytes, files: dict[str, bytes], path: str, notes: list[str]) -> dict[str, MeshSurface]:
    """The materials of the files that an OBJ names."""
    out: dict[str, MeshSurface] = {}
    at = -1
    while (at := data.find(b"mtllib", at + 1)) >= 0:
        if at and data[at - 1 : at] not in (b"\n", b" ", b"\t", b"\r"):
            continue
        said = data[at + 6 : at + 1000].split(b"\n", 1)[0].decode("utf-8", "replace").strip()
        held = beside_file(files, said, path)
        if held is None:
            notes.append(f"{said[:80]}, which it refers to, is missing and was left out")
            continue
        found = _material_file(held, files, path, notes)
        if not found:
            notes.append(f"{said[:80]} holds no material: it is empty or damaged, and greys stand for its surfaces")
        out |= found
    return out


def _material_file(data: bytes, files: dict[str, bytes], path: str, notes: list[str]) -> dict[str, MeshSurface]:
    told: dict[str, dict[str, list[str]]] = {}
    now: dict[str, list[str]] = {}
    for line in data.decode("utf-8", "replace").splitlines():
        words = line.split("#", 1)[0].split()
        if not words:
            continue
        if words[0] == "newmtl":
            now = told.setdefault(" ".join(words[1:])[:200], {})
            if len(told) > MATERIALS_AT_MOST:
                raise PlaceError(f"It has more than {MATERIALS_AT_MOST:,} materials: join some of them.")
        else:
            now[words[0].lower()] = words[1:]
    return {name: _surface(name, said, files, path, notes) for name, said in told.items()}


def _numbers(said: dict[str, list[str]], name: str, count: int) -> list[float] | None:
    try:
        values = [float(word) for word in said.get(name, [])[:count]]
    except ValueError:
        return None
    if len(values) == 1 and count == 3:
        values *= 3
    return values if len(values) == count and bool(np.isfinite(values).all()) else None


def _picture(
    said: dict[str, list[str]], names: tuple[str, ...], what: str, files: dict[str, bytes], path: str, notes: list[str]
) -> NDArray[np.uint8] | None:
    """The picture that one of some keywords names; its options are passed over."""
    words = next((said[name] for name in names if said.get(name)), None)
    if words is None:
        return None
    whole = " ".join(words)
    for asked in (whole, words[-1]):
        if (data := beside_file(files, asked, path)) is not None:
            return pixels_of(data, notes, what)
    notes.append(f"the texture {words[-1][:80]} is missing and was left out")
    return None


def _surface(
    name: str, said: dict[str, list[str]], files: dict[str, bytes], path: str, notes: list[str]
) -> MeshSurface:
    """A material as ours.

    Notes
    -----
    Gloss comes as an exponent of Phong's law, Ns: Blinn's width of the same highlight is the root of 2 / (Ns + 2), and
    roughness the root of that (B. Walter, Notes on the Ward BRDF, Cornell 2005; practice).
    """
    colour = _numbers(said, "kd", 3) or [0.5, 0.5, 0.5]
    opacity = _numbers(said, "d", 1)
    clear = _numbers(said, "tr", 1)
    solid = opacity[0] if opacity else (1 - clear[0] if clear else 1.0)
    gloss, specular = _numbers(said, "ns", 1), _numbers(said, "ks", 3)
    rough = _numbers(said, "pr", 1)
    roughness = 0.6
    if rough:
        roughness = rough[0]
    elif gloss and (specular is None or max(specular) > 0.01):
        roughness = float(np.clip((2 / (max(gloss[0], 0) + 2)) ** 0.25, 0.05, 1.0))
    glow = _numbers(said, "ke", 3) or [0.0, 0.0, 0.0]
    ior, metal = _numbers(said, "ni", 1), _numbers(said, "pm", 1)
    colour_map = _picture(said, ("map_kd",), "colour", files, path, notes)
    holes = _picture(said, ("map_d",), "opacity", files, path, notes)
    cutoff = 0.0
    if holes is not None:
        colour_map, cutoff = _cut(colour_map, holes, colour), CUT
    elif colour_map is not None and (colour_map[..., 3] < 128).mean() > 0.01:
        cutoff = CUT  # what is clear in its colour picture is open, though nothing says so (practice of exporters)
    height = _picture(said, ("norm", "map_bump", "bump"), "normal", files, path, notes)
    if height is not None and not said.get("norm") and _is_grey(height):
        height = _normals(height)
    made = MeshSurface(
        name or "surface",
        (1.0, 1.0, 1.0) if colour_map is not None and holes is None else tuple(to_linear(np.clip(colour, 0, 1))),
        float(np.clip(roughness, 0.0, 1.0)),
        float(np.clip(metal[0], 0, 1)) if metal else 0.0,
        (glow[0] * NITS, glow[1] * NITS, glow[2] * NITS),
        0.0 if cutoff else float(np.clip(1 - solid, 0, 1)),
        cutoff,
        colour_map,
        height,
        None,
        _picture(said, ("map_ke",), "emission", files, path, notes),
        refraction=float(np.clip(ior[0], 1.0, 3.0)) if ior else 1.5,
    )
    return replace(made, colour=(1.0, 1.0, 1.0)) if colour_map is not None else made


def _cut(colour_map: NDArray[np.uint8] | None, holes: NDArray[np.uint8], colour: list[float]) -> NDArray[np.uint8]:
    """A colour picture whose opacity another picture says: by its alpha where it has one, else by its brightness."""
    shares = holes[..., 3] if (holes[..., 3] < 255).any() else holes[..., :3].max(-1)
    if colour_map is None:
        out = np.empty((*shares.shape, 4), np.uint8)
        out[..., :3] = np.clip(np.asarray(colour) * 255, 0, 255).round()
    else:
        out = colour_map.copy()
        h, w = out.shape[:2]
        rows, columns = np.arange(h) * shares.shape[0] // h, np.arange(w) * shares.shape[1] // w
        shares = shares[rows[:, None], columns[None]]
    out[..., 3] = shares
    return out


def _is_grey(picture: NDArray[np.uint8]) -> bool:
    some = picture[:: max(1, len(picture) // 64), :: max(1, picture.shape[1] // 64), :3].astype(int)
    return bool((np.ptp(some, axis=-1) <= 8).all())


def _normals(height: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Normals of a picture of heights."""
    from lumwick.built.bring.texture_set import normals_of

    found: Any = normals_of(height[..., 0].astype(float) / 255)
    out = np.full((*height.shape[:2], 4), 255, np.uint8)
    out[..., :3] = (found * 255).round().clip(0, 255)
    return out
