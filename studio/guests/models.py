"""Links by which somebody without an account sees a place's takes and walks in it."""

from __future__ import annotations

import datetime as dt
import secrets

from django.db import models
from django.utils import timezone

from studio.places.models import Place
from studio.takes.models import Take

DAYS, DAYS_AT_MOST = 14, 365
LINKS_AT_MOST = 200
ANSWERS_AT_MOST = 500


def _token() -> str:
    return secrets.token_urlsafe(24)


class Link(models.Model):
    """A way in for one client, until a day."""

    place = models.ForeignKey(Place, on_delete=models.CASCADE, related_name="links")
    token = models.CharField(max_length=48, unique=True, default=_token)
    name = models.CharField(max_length=80)
    """Whom it is for."""
    until = models.DateTimeField()
    ended = models.DateTimeField(null=True)
    """When it was taken back before its day."""
    made = models.DateTimeField(auto_now_add=True)
    seen = models.DateTimeField(null=True)
    """When it was opened last."""

    class Meta:
        ordering = ["-made"]

    def __str__(self) -> str:
        return f"{self.name} until {self.until:%Y-%m-%d}"

    @classmethod
    def make(cls, place: Place, name: str, days: int) -> Link:
        """A new link that ends after some days."""
        return cls.objects.create(place=place, name=name, until=timezone.now() + dt.timedelta(days=days))

    @property
    def holds(self) -> bool:
        """Whether it still lets somebody in."""
        return self.ended is None and self.until > timezone.now() and self.place.thrown_out is None


class Answer(models.Model):
    """What a client says of a take."""

    class Verdict(models.TextChoices):
        APPROVED = "approved"
        CHANGES = "changes", "wants changes"

    link = models.ForeignKey(Link, on_delete=models.CASCADE, related_name="answers")
    take = models.ForeignKey(Take, on_delete=models.CASCADE, related_name="answers")
    verdict = models.CharField(max_length=10, choices=Verdict.choices)
    name = models.CharField(max_length=80)
    """Who says it."""
    text = models.CharField(max_length=1000, blank=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["made"]

    def __str__(self) -> str:
        return f"{self.name}: {self.get_verdict_display()}"
