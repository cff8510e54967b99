"""Addresses of the studio."""

from django.contrib.auth import views as auth
from django.urls import include, path

from studio.places import views as places

urlpatterns = [
    path("healthz", places.healthz, name="healthz"),
    path(
        "sign-in/",
        auth.LoginView.as_view(template_name="sign_in.html", redirect_authenticated_user=True),
        name="sign-in",
    ),
    path("sign-out/", auth.LogoutView.as_view(), name="sign-out"),
    path("join/", places.join, name="join"),
    path("", include("studio.places.urls")),
    path("", include("studio.takes.urls")),
]
handler404 = "studio.places.views.not_found"
handler500 = "studio.places.trouble.server_error"
