"""Clip time and its views: frames, seconds, SMPTE timecode; and counts of time-lapse and in-betweens.

Real seconds of clip time are the truth. Frame 1 is t = 0, and a clip of N frames covers [0, N / fps).
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction

from lumwick.errors import LumwickError

RATES: dict[str, Fraction] = {
    "23.976": Fraction(24000, 1001),
    "24": Fraction(24),
    "25": Fraction(25),
    "29.97": Fraction(30000, 1001),
    "30": Fraction(30),
    "48": Fraction(48),
    "50": Fraction(50),
    "59.94": Fraction(60000, 1001),
    "60": Fraction(60),
}


def rate(name: str) -> Fraction:
    """Frames per second of a named rate, exact.

    Raises
    ------
    LumwickError
        The name is not one of the rates in use.
    """
    try:
        return RATES[name]
    except KeyError:
        raise LumwickError(f"{name!r} is not a frame rate in use: choose one of {', '.join(RATES)}.") from None


def frame_time(frame: int, fps: Fraction) -> float:
    """Clip time [s] at which a frame starts; frame 1 is 0."""
    return float(Fraction(frame - 1) / fps)


def time_frame(t: float, fps: Fraction) -> int:
    """The frame on screen at clip time ``t`` [s]."""
    return int(Fraction(t).limit_denominator(10**9) * fps + Fraction(1, 10**6)) + 1


def timecode(frame: int, fps: Fraction, drop: bool = False) -> str:
    """SMPTE timecode of a frame, ``hh:mm:ss:ff`` (``;ff`` when drop-frame).

    Parameters
    ----------
    frame : int
        1 is 00:00:00:00.
    fps : Fraction [1/s]
    drop : bool
        Drop-frame counting; only for 29.97 and 59.94.

    References
    ----------
    SMPTE ST 12-1: labels ;00 and ;01 (at 29.97) are skipped each minute but every tenth.
    """
    nominal = round(fps)
    n = frame - 1
    if drop:
        if fps not in (RATES["29.97"], RATES["59.94"]):
            raise LumwickError("Drop-frame timecode is only for 29.97 and 59.94 frames a second.")
        skipped = nominal // 15
        per_minute = nominal * 60 - skipped
        per_ten = per_minute * 10 + skipped
        tens, rest = divmod(n, per_ten)
        n += skipped * 9 * tens
        if rest >= nominal * 60:
            n += skipped * (1 + (rest - nominal * 60) // per_minute)
    seconds, ff = divmod(n, nominal)
    return f"{seconds // 3600 % 24:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}{';' if drop else ':'}{ff:02d}"


def frame_of_timecode(text: str, fps: Fraction) -> int:
    """The frame that a SMPTE timecode labels; ``;`` before the frames means drop-frame counting.

    Raises
    ------
    LumwickError
        It is no timecode, or one that this rate skips.
    """
    found = re.fullmatch(r"\s*(\d{1,2}):(\d{2}):(\d{2})([:;])(\d{2})\s*", text)
    if not found:
        raise LumwickError(
            f"A timecode is written like 00:00:10:12 (hours, minutes, seconds, frames), not {text.strip()!r}."
        )
    hours, minutes, seconds, frames = (int(found[k]) for k in (1, 2, 3, 5))
    nominal = round(fps)
    if minutes > 59 or seconds > 59 or frames >= nominal or hours > 23:
        raise LumwickError(
            f"{text.strip()} is no timecode at {nominal} frames a second: minutes and "
            f"seconds end at 59, frames at {nominal - 1:02d}, hours at 23."
        )
    n = ((hours * 60 + minutes) * 60 + seconds) * nominal + frames
    if found[4] == ";":
        if fps not in (RATES["29.97"], RATES["59.94"]):
            raise LumwickError("Drop-frame timecode is only for 29.97 and 59.94 frames a second.")
        skipped = nominal // 15
        if minutes % 10 and seconds == 0 and frames < skipped:
            raise LumwickError(
                f"Drop-frame timecode has no {text.strip()}: it skips the first {skipped} frames of that minute."
            )
        n -= skipped * (hours * 54 + minutes - minutes // 10)
    return n + 1


def clip_frames(text: str, fps: Fraction) -> int:
    """A clip's length as somebody types it: ``240`` frames, ``10 s``, ``1.5 min`` or a timecode.

    Raises
    ------
    LumwickError
        It is none of these, or not at least one frame.
    """
    found = re.fullmatch(r"\s*(\d+(?:[.,]\d+)?)\s*(s|sec|min|f|frames?)?\s*", text)
    if found:
        number, unit = float(found[1].replace(",", ".")), found[2] or "f"
        frames = number * float(fps) * {"s": 1, "sec": 1, "min": 60}[unit] if unit in ("s", "sec", "min") else number
    elif ":" in text:
        frames = frame_of_timecode(text, fps) - 1
    else:
        raise LumwickError(
            f"A length is written in frames (240), seconds (10 s) or timecode (00:00:10:00), not {text.strip()!r}."
        )
    if round(frames) < 1:
        raise LumwickError("A clip has at least one frame.")
    return round(frames)


@dataclass(frozen=True)
class Lapse:
    """A time-lapse: an event [s] in a clip [s] at a rate [1/s], one frame each interval [s]."""

    event: float
    clip: float
    fps: float
    interval: float

    @property
    def frames(self) -> int:
        return round(self.clip * self.fps)

    @property
    def speed(self) -> float:
        """Seconds of the event in one second of the clip."""
        return self.event / self.clip


def plan_lapse(
    event: float | None = None, clip: float | None = None, fps: float | None = None, interval: float | None = None
) -> Lapse:
    """A time-lapse from any three of its four sizes: interval = event / (clip x rate).

    Raises
    ------
    LumwickError
        Not three were given, or one is not above 0.
    """
    given = {"event": event, "clip": clip, "rate": fps, "interval": interval}
    if sum(v is None for v in given.values()) != 1:
        raise LumwickError("Give three of event, clip length, rate and interval: the fourth follows.")
    for name, v in given.items():
        if v is not None and not 0 < v < 1e12:
            raise LumwickError(f"The {name} of a time-lapse is above 0, and {v:g} is not usable.")
    if event is None:
        event = clip * fps * interval  # type: ignore[operator]
    elif clip is None:
        clip = event / (fps * interval)  # type: ignore[operator]
    elif fps is None:
        fps = event / (clip * interval)  # type: ignore[operator]
    else:
        interval = event / (clip * fps)
    return Lapse(event, clip, fps, interval)  # type: ignore[arg-type]


def joined_views(views: int, steps: int) -> int:
    """Frames needed to join ``views`` stored views with ``steps`` steps from each to the next."""
    return (views - 1) * steps + 1
