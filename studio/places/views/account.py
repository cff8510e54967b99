"""Accounts, help, and whether the house is up."""

from __future__ import annotations

from django.contrib.auth import get_user_model, login
from django.contrib.auth.decorators import login_required
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import connection
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET


def healthz(request: HttpRequest) -> HttpResponse:
    """Whether the server and its database answer."""
    with connection.cursor() as cursor:
        cursor.execute("select 1")
    return HttpResponse("ok")


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    return render(request, "not_found.html", status=404)


def join(request: HttpRequest) -> HttpResponse:
    """Make an account."""
    faults: list[str] = []
    if request.method == "POST":
        name, password = request.POST.get("username", "").strip().lower(), request.POST.get("password", "")
        users = get_user_model()
        try:
            validate_password(password)
            if "@" not in name or len(name) > 150:
                faults.append("Give an e-mail address to sign in with.")
            elif users.objects.filter(username=name).exists():
                faults.append("There is an account with this address already: sign in instead.")
            else:
                login(request, users.objects.create_user(username=name, email=name, password=password))
                return redirect("chest")
        except ValidationError as error:
            faults += error.messages
    return render(request, "join.html", {"faults": faults})


@login_required
@require_GET
def help_page(request: HttpRequest) -> HttpResponse:
    return render(request, "help.html")
