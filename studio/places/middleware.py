"""Errors of the core, told as sentences."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse, JsonResponse

from lumwick.errors import LumwickError


class SentencesMiddleware:
    """A `LumwickError` that a view lets through becomes one sentence with status 422; never a stack trace."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        if isinstance(error, LumwickError):
            return JsonResponse({"error": str(error)}, status=422)
        return None
