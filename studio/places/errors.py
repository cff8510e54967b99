"""What is answered when something of the house is missing."""

from __future__ import annotations

import sys

from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.template import loader

AGAIN_S = 3
"""Seconds after which a page that found no database asks again."""


def server_error(request: HttpRequest) -> HttpResponse:
    """A page for what went wrong inside; where the database does not answer it says so and tries again."""
    error = sys.exc_info()[1]
    away = isinstance(error, OperationalError | InterfaceError)
    words = (
        "The database does not answer just now. It is started again by itself; nothing that was saved is lost."
        if away
        else "Something went wrong here that should not. What was saved is safe; the server's log says more."
    )
    status = 503 if away else 500
    headers = {"Retry-After": str(AGAIN_S)} if away else {}
    # the scripts of the page ask for data, and show the sentence themselves
    if request.headers.get("Sec-Fetch-Dest") == "empty" or "application/json" in request.headers.get("Accept", ""):
        return JsonResponse({"error": words}, status=status, headers=headers)
    page = loader.render_to_string("trouble.html", {"words": words, "again": AGAIN_S if away else 0})
    return HttpResponse(page, status=status, headers=headers)
