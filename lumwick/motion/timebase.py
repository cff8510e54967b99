"""Clip time and its views: frames, seconds, SMPTE timecode; and counts of time-lapse and in-betweens.

Real seconds of clip time are the truth. Frame 1 is t = 0, and a clip of N frames covers [0, N / fps).
"""

from __future__ import annotations

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


def lapse_interval(event_seconds: float, clip_seconds: float, fps: float) -> float:
    """Seconds of the event between two frames of a time-lapse."""
    return event_seconds / (clip_seconds * fps)


def joined_views(views: int, steps: int) -> int:
    """Frames needed to join ``views`` stored views with ``steps`` steps from each to the next."""
    return (views - 1) * steps + 1
