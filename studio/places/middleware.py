"""What went wrong, told as sentences: errors of the core, and a session that has ended under an open page."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import resolve_url

from lumwick.errors import LumwickError

SIGNED_OUT = "Your session has ended: sign in again (in another tab, to keep this page), then do it once more."


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


class SignedOutMiddleware:
    """A page's script that asks after its session has ended is told so, with status 401.

    It would follow a redirect to the page for signing in, and take that page for its answer.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        by_script = request.headers.get("Sec-Fetch-Dest") == "empty"
        sent_away = response.status_code == 302 and response["Location"].startswith(resolve_url(settings.LOGIN_URL))
        if by_script and sent_away:
            return JsonResponse({"error": SIGNED_OUT}, status=401)
        return response
