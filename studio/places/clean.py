"""Requests that hold what no text, number or name may: refused in one place, before any view reads them."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.request import UnreadablePostError

from lumwick.strangers import DIGITS_AT_MOST, wild_text

WORDS = {"name", "text", "username", "password", "password1", "password2", "csrfmiddlewaretoken", "label", "names"}
"""Fields that hold words, which may well be called nan."""
LINES = {"text"}
"""Fields that may have several lines."""
ENDLESS = re.compile(r"[+-]?(nan|inf|infinity)", re.IGNORECASE)
LONG = re.compile(rb"[0-9]{%d}" % DIGITS_AT_MOST)
CONTROL = re.compile(rb"\\u00(0[0-9a-f]|1[0-9a-f]|7f)|[\x00-\x08\x0b\x0c\x0e-\x1f]", re.IGNORECASE)
FIELD_AT_MOST = 400_000
REFUSED = "This request cannot be read: "


class CleanRequests:
    """NUL and other control signs, line breaks in one-line fields, numbers that are none or endless, and numbers of
    hundreds of digits are answered with 400 and a sentence."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        said = _of_text("its address", request.path) or _of_fields(request.GET.lists())
        if not said and request.method in ("POST", "PUT", "PATCH"):
            try:
                said = _of_body(request)
            except (UnreadablePostError, OSError):
                said = "it broke off"
        if said:
            return JsonResponse({"error": f"{REFUSED}{said}."}, status=400)
        return self.get_response(request)


def _of_body(request: HttpRequest) -> str:
    if (request.content_type or "") == "application/json":
        body = request.body
        if CONTROL.search(body):
            return "it holds a sign that is no letter"
        return "it holds a number too long to be meant" if LONG.search(body) else ""
    said = _of_fields(request.POST.lists())
    names = [file.name or "" for _, files in request.FILES.lists() for file in files]
    return said or next((w for name in names if (w := _of_text("a file's name", name))), "")


def _of_fields(fields: Iterable[tuple[str, list[Any]]]) -> str:
    for name, values in fields:
        for value in (name, *map(str, values)):
            said = wild_text(value, FIELD_AT_MOST, lines=name in LINES)
            if said:
                return f"{name[:40]!a} {said}"
            if name not in WORDS and ENDLESS.fullmatch(value.strip()):
                return f"{name[:40]!a} is no number"
            if len(value) >= DIGITS_AT_MOST and LONG.search(value.encode("utf-8", "replace")):
                return f"{name[:40]!a} holds a number too long to be meant"
    return ""


def _of_text(what: str, text: str) -> str:
    said = wild_text(text, 2000)
    return said and f"{what} {said}"
