"""Takes of clips that come round: there and back, and faded; and frames of the same instant made once."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lumwick.deliver.stills import read_png
from lumwick.frame_keys import frame_keys
from studio.looks.settings import revision_setting
from studio.places.models import Place
from studio.takes.models import Order, Take
from studio.takes.tasks import make_film, render_take

pytestmark = pytest.mark.django_db(transaction=True)


def edited(place: Any, *commands: dict[str, Any]) -> Place:
    for command in commands:
        now = Place.objects.get(pk=place.pk)
        now.edit(now.head.number, command)
    return Place.objects.get(pk=place.pk)


def made(place: Place, last: int) -> list[np.ndarray]:
    """Pictures of a take, made by a worker's task in this process."""
    take = Take.begin(place, "a", Order("take", (48, 32), "sketch", 1, last))
    render_take(take.pk)
    make_film(take.pk)
    take.refresh_from_db()
    assert take.state == Take.State.DONE, take.reason
    return [np.asarray(read_png(frame.path), float) for frame in take.frames.all()]


SHUT = {"op": "set", "path": "/shots/a/exposure/shutter", "value": 0}
SHORT = {"op": "retime", "shot": "a", "frames": 8, "fps": "24", "keep": "seconds"}


def test_there_and_back_makes_each_instant_once(place: Any) -> None:
    there = edited(place, SHUT, SHORT, {"op": "seam", "shot": "a", "seam": "mirror"})
    setting = revision_setting(there.head.pk)
    keys = frame_keys(setting, setting.place.shot("a"), range(1, 9), (48, 32), "sketch")
    assert keys[1:4] == keys[7:4:-1] and len(set(keys)) == 5  # frames 2 to 4 are frames 8 to 6
    pictures = made(there, 8)
    assert np.array_equal(pictures[1], pictures[7]) and not np.array_equal(pictures[0], pictures[4])


def test_a_faded_clip_ends_in_what_came_before_its_start(place: Any) -> None:
    dimming = (
        {"op": "key", "path": "/shots/a/exposure/ev100", "t": t, "value": v, "join": "straight"}
        for t, v in ((0.0, 13.0), (8 / 24, 16.0))
    )
    plain = edited(place, SHUT, SHORT, *dimming)
    cut = made(plain, 8)
    faded = made(edited(plain, {"op": "seam", "shot": "a", "seam": "cross-fade", "frames": 3}), 8)
    assert all(
        np.array_equal(a, b) for a, b in zip(cut[:5], faded[:5], strict=True)
    )  # what is not faded is not made anew
    brightness = [p.mean() for p in faded]
    assert (
        brightness[5] > cut[5].mean() + 2 and brightness[7] > brightness[6] > brightness[5] - 1
    )  # it grows bright again, towards the start
    assert abs(brightness[7] - brightness[0]) < 0.45 * abs(cut[7].mean() - cut[0].mean())
