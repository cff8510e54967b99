"""What is brought in at once: one file, several, a folder or a zip, by the paths inside."""

from __future__ import annotations

from pathlib import Path, PurePosixPath

from lumwick.built.meshes import MODEL_ENDINGS
from lumwick.errors import PlaceError
from lumwick.strangers import inside, unzipped

FILES_AT_MOST, BYTES_AT_MOST = 2000, 1_000_000_000
USD_ENDINGS = (".usd", ".usda", ".usdc", ".usdz")
ENDINGS = (*MODEL_ENDINGS, *USD_ENDINGS)
PICTURES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".bmp", ".tga")

Bundle = dict[str, bytes]
"""Files by their paths, with slashes between the parts."""


def gathered(files: Bundle) -> Bundle:
    """Files as they were dropped or chosen, with zips among them unpacked.

    Raises
    ------
    PlaceError
    """
    out: Bundle = {}
    for name, data in files.items():
        if PurePosixPath(name).suffix.lower() == ".zip":
            out |= dict(unzipped(data, name))
        else:
            out[inside(name)] = data
    return out


def _within(root: Path, path: Path) -> list[Path]:
    """The files of a folder; if one of them is meant, without other models, but for USD, which may be made of them."""
    found = [one for one in sorted(root.rglob("*")) if one.is_file()]
    return [one for one in found if path == root or one == path or one.suffix.lower() not in MODEL_ENDINGS]


def read_from(path: Path) -> tuple[Bundle, list[str]]:
    """A folder, a zip, or a file with what lies beside it that it may refer to; and which models of it are meant: none
    where there are pictures alone.

    Raises
    ------
    PlaceError
        There is nothing there, too much, or no model.
    """
    if not path.exists():
        raise PlaceError(f"There is no file or folder {path}.")
    if path.is_file() and path.suffix.lower() == ".zip":
        files = dict(unzipped(path.read_bytes(), path.name))
        return files, [] if only_pictures(files) else models(files)
    if path.is_file() and path.suffix.lower() in PICTURES:
        return {path.name: path.read_bytes()}, []
    if path.is_file() and path.suffix.lower() in (".glb", ".stl", ".ply", ".usdz"):
        return {path.name: path.read_bytes()}, [path.name]
    root = path if path.is_dir() else path.parent
    found = _within(root, path)
    if len(found) > FILES_AT_MOST or sum(one.stat().st_size for one in found) > BYTES_AT_MOST:
        raise PlaceError(
            f"{root} holds too much to bring in at once: at most {FILES_AT_MOST:,} files of "
            f"{BYTES_AT_MOST / 1e6:,.0f} MB together. Put the model and its textures into a folder of their own."
        )
    files = {one.relative_to(root).as_posix(): one.read_bytes() for one in found}
    if path.is_dir() and only_pictures(files):
        return files, []
    return files, models({path.name: b""} if path.is_file() else files)


def only_pictures(files: Bundle) -> bool:
    """Whether files are pictures alone, so that they are no model's but make surfaces."""
    kept = [n for n in files if not PurePosixPath(n).name.startswith(".")]
    return bool(kept) and all(PurePosixPath(n).suffix.lower() in PICTURES for n in kept)


def models(files: Bundle) -> list[str]:
    """The models among files: not those that another is made of.

    Raises
    ------
    PlaceError
        There is none.
    """
    found = [name for name in files if PurePosixPath(name).suffix.lower() in ENDINGS]
    usd = [name for name in found if PurePosixPath(name).suffix.lower() in USD_ENDINGS]
    text = {name: files[name] for name in usd}
    parts = {n for n in usd for other in usd if other != n and PurePosixPath(n).name.encode() in text[other]}
    whole = [name for name in found if name not in parts]
    if not whole:
        raise PlaceError(
            "There is no model in what was brought: a "
            f"{', '.join(e[1:] for e in ENDINGS[:-1])} or {ENDINGS[-1][1:]} file is."
        )
    return whole
