"""Addresses of links, for who makes them and for who follows them."""

from django.urls import path

from studio.guests import views

urlpatterns = [
    path("places/<int:place_id>/links/", views.make, name="make-link"),
    path("links/<int:link_id>/end/", views.end, name="end-link"),
    path("seen/<str:token>/", views.shown, name="shown-by-link"),
    path("seen/<str:token>/look/", views.look, name="guest-look"),
    path("seen/<str:token>/takes/<int:number>/film.mp4", views.film, name="guest-film"),
    path("seen/<str:token>/takes/<int:number>/first.png", views.poster, name="guest-poster"),
    path("seen/<str:token>/takes/<int:number>/answer/", views.answer, name="guest-answer"),
]
