"""Places as they were at a revision, with their ground."""

from __future__ import annotations

from lumwick.land.elevation import read_ground
from lumwick.land.ground import Ground
from lumwick.once import once
from lumwick.place.document import Place as Document
from lumwick.snapshot.evaluate import Setting
from studio.places.models import AssetFile, Revision, assets_for


@once(6)
def ground_of(sha256: str, path: str) -> Ground:
    """Ground by its digest; loaded once a process."""
    with open(path, "rb") as file:
        return read_ground(file.read())


def setting_of(document: Document) -> Setting:
    """A document with its ground."""
    folder = AssetFile.folder()
    sha = document.land.elevation.sha256
    if not (folder / sha).exists():
        assets_for(document)
    return Setting(document, ground_of(sha, str(folder / sha)), AssetFile.read)


@once(64)
def revision_setting(revision_id: int) -> Setting:
    """A revision's place with its ground; revisions never change, so this may be kept."""
    return setting_of(Revision.objects.get(pk=revision_id).parsed())
