"""Requests' bodies, bounded before anything of them is read: by route, and by who asks."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.urls import Resolver404, resolve

USUAL_BYTES, STRANGERS_BYTES = 8_000_000, 100_000
"""What a request may hold if its route does not take files: of who is signed in, and of anybody."""
FILES = {"bring-in": 520_000_000, "bring": 310_000_000, "lay": 210_000_000}
"""Routes that take files, by their names, and how many bytes in all."""


class BoundedBodies:
    """A request that says it is too large, or does not say how large it is, is refused unread."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        said = str(request.META.get("CONTENT_LENGTH") or "0")
        size = int(said) if said.isascii() and said.isdigit() else -1
        most = self._most(request)
        if 0 <= size <= most and "chunked" not in request.META.get("HTTP_TRANSFER_ENCODING", "").lower():
            return self.get_response(request)
        words = f"This is too large to be sent here: at most {most / 1e6:,.1f} MB are taken."
        return JsonResponse({"error": words}, status=413)

    @staticmethod
    def _most(request: HttpRequest) -> int:
        if not request.user.is_authenticated:
            return STRANGERS_BYTES
        try:
            return FILES.get(resolve(request.path_info).url_name or "", USUAL_BYTES)
        except Resolver404:
            return STRANGERS_BYTES
