"""Places, their immutable revisions, and the assets they need."""

from __future__ import annotations

import builtins
import hashlib
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models, transaction
from pydantic import TypeAdapter

from lumwick.atomic import write_bytes
from lumwick.errors import PlaceError
from lumwick.place import edits as editing
from lumwick.place.document import Place as Document
from lumwick.place.fields import Asset
from lumwick.place.files import needed, parse


class StaleRevision(Exception):
    """An edit was made on a revision that is no longer the newest."""

    def __init__(self, place: Place) -> None:
        super().__init__(
            "This place was changed elsewhere (another tab or person): "
            "the newest state is shown now; make the change again."
        )
        self.place = place


class AssetFile(models.Model):
    """Bytes that places refer to, known by their digest; kept once however many places use them."""

    sha256 = models.CharField(max_length=64, primary_key=True)
    bytes = models.BigIntegerField()

    @staticmethod
    def folder() -> Path:
        return Path(settings.MEDIA_ROOT) / "assets"

    @property
    def path(self) -> Path:
        return self.folder() / self.sha256

    @classmethod
    def read(cls, asset: Asset) -> builtins.bytes:
        """The bytes that a document refers to.

        Raises
        ------
        PlaceError
            They are missing from the store.
        """
        try:
            return (cls.folder() / asset.sha256).read_bytes()
        except OSError:
            raise PlaceError(
                f"The file {asset.name} is missing from this server's store: bring the place in again from its file."
            ) from None

    @classmethod
    def keep(cls, data: builtins.bytes, owner: Any) -> AssetFile:
        """Store somebody's bytes, whole or not at all."""
        sha = hashlib.sha256(data).hexdigest()
        asset = cls(sha256=sha, bytes=len(data))
        if not asset.path.exists():
            write_bytes(asset.path, data)
        kept, _ = cls.objects.get_or_create(sha256=sha, defaults={"bytes": len(data)})
        Holding.objects.get_or_create(asset=kept, owner=owner)
        return kept


class Holding(models.Model):
    """That somebody brought a file: a place may refer to no other's, though its digest be known."""

    asset = models.ForeignKey(AssetFile, on_delete=models.CASCADE, related_name="holdings")
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["asset", "owner"], name="one_holding_each")]

    def __str__(self) -> str:
        return f"{self.asset_id[:8]} of {self.owner_id}"

    @classmethod
    def require(cls, owner: Any, assets: Iterable[Asset]) -> None:
        """Refuse files that somebody did not bring.

        Raises
        ------
        PlaceError
        """
        wanted = {asset.sha256: asset for asset in assets}
        held = set(cls.objects.filter(owner=owner, asset__in=wanted).values_list("asset_id", flat=True))
        for sha, asset in wanted.items():
            if sha not in held:
                raise PlaceError(f"The file {asset.name} is none that you brought: bring it in first.")


class Place(models.Model):
    """A place row: its owner, and which revision it stands at."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="places")
    name = models.CharField(max_length=120)
    head = models.ForeignKey("Revision", null=True, on_delete=models.RESTRICT, related_name="+")
    undone = models.JSONField(default=list)
    """Numbers of the revisions that redo would go back to, newest last."""
    created = models.DateTimeField(auto_now_add=True)
    edited = models.DateTimeField(auto_now=True)
    thrown_out = models.DateTimeField(null=True)
    """When it was put away; it can be brought back."""

    class Meta:
        ordering = ["-edited"]

    def __str__(self) -> str:
        return self.name

    @classmethod
    @transaction.atomic
    def start(cls, owner: Any, document: Document, assets: dict[str, bytes], label: str) -> Place:
        """A new place with its first revision and its assets."""
        for data in assets.values():
            AssetFile.keep(data, owner)
        Holding.require(owner, needed(document))
        place = cls.objects.create(owner=owner, name=document.name)
        place.head = Revision.objects.create(
            place=place, number=1, label=label, document=document.model_dump(mode="json")
        )
        place.save()
        return place

    @transaction.atomic
    def edit(self, made_on: int, command: dict[str, Any]) -> Revision:
        """Apply a command made on revision ``made_on``.

        Raises
        ------
        StaleRevision
            The place has moved on since.
        PlaceError
            The command does not fit.
        """
        place = self._locked(made_on)
        assert place.head is not None
        before = place.head.parsed()
        document, label = editing.apply(before, editing.command(command))
        had = {asset.sha256 for asset in needed(before)}
        Holding.require(place.owner, [asset for asset in needed(document) if asset.sha256 not in had])
        revision = Revision.objects.create(
            place=place,
            number=place._next(),
            parent=place.head,
            label=label[:200],
            command=command,
            document=document.model_dump(mode="json"),
        )
        place.head, place.undone, place.name = revision, [], document.name
        place.save()
        return revision

    @transaction.atomic
    def undo(self, made_on: int) -> Revision:
        """Go back to the revision before.

        Raises
        ------
        StaleRevision, PlaceError
        """
        place = self._locked(made_on)
        assert place.head is not None
        if place.head.parent is None:
            raise PlaceError("There is nothing before this to go back to.")
        place.undone = [*place.undone, place.head.number]
        place.head = place.head.parent
        place.save()
        return place.head

    @transaction.atomic
    def redo(self, made_on: int) -> Revision:
        """Go forward again to what was undone last."""
        place = self._locked(made_on)
        if not place.undone:
            raise PlaceError("Nothing has been undone.")
        place.head = place.revisions.get(number=place.undone[-1])
        place.undone = place.undone[:-1]
        place.save()
        return place.head

    @transaction.atomic
    def restore(self, made_on: int, number: int) -> Revision:
        """Make an earlier revision's document the newest one; nothing in between is lost."""
        place = self._locked(made_on)
        old = place.revisions.filter(number=number).first()
        if old is None:
            raise PlaceError(f"There is no revision {number} of this place.")
        revision = Revision.objects.create(
            place=place,
            number=place._next(),
            parent=place.head,
            label=f"restored revision {number}",
            document=old.document,
        )
        place.head, place.undone, place.name = revision, [], old.document["name"]
        place.save()
        return revision

    def _locked(self, made_on: int) -> Place:
        place = Place.objects.select_for_update().get(pk=self.pk)
        if place.head is None or place.head.number != made_on:
            raise StaleRevision(place)
        return place

    def _next(self) -> int:
        return (self.revisions.aggregate(models.Max("number"))["number__max"] or 0) + 1

    @property
    def redo_label(self) -> str:
        revision = self.revisions.filter(number=self.undone[-1]).first() if self.undone else None
        return revision.label if revision else ""


class Revision(models.Model):
    """One state of a place; never changed."""

    place = models.ForeignKey(Place, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey("self", null=True, on_delete=models.RESTRICT, related_name="children")
    label = models.CharField(max_length=200)
    called = models.CharField(max_length=80, blank=True)
    """A name that somebody gave this state, to find it again."""
    command = models.JSONField(null=True)
    document = models.JSONField()
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["place", "number"], name="one_revision_a_number")]

    def __str__(self) -> str:
        return f"{self.place_id}.{self.number} {self.label}"

    def parsed(self) -> Document:
        """The document, validated."""
        return parse(self.document)


def assets_for(document: Document) -> dict[str, bytes]:
    """The bytes a document needs.

    Raises
    ------
    PlaceError
        One is missing from the store.
    """
    return {asset.sha256: AssetFile.read(asset) for asset in needed(document)}


def command_schema() -> dict[str, Any]:
    """JSON Schema of all edits."""
    return TypeAdapter(editing.AnyCommand).json_schema()
