"""Addresses of the studio."""

from django.contrib.auth import views as auth
from django.urls import include, path

from studio.places.views import account

urlpatterns = [
    path("healthz", account.healthz, name="healthz"),
    path(
        "sign-in/",
        auth.LoginView.as_view(template_name="sign_in.html", redirect_authenticated_user=True),
        name="sign-in",
    ),
    path("sign-out/", auth.LogoutView.as_view(), name="sign-out"),
    path("join/", account.join, name="join"),
    path("", include("studio.places.urls")),
    path("", include("studio.takes.urls")),
    path("", include("studio.guests.urls")),
]
handler404 = "studio.places.views.account.not_found"
handler500 = "studio.places.errors.server_error"
