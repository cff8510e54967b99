"""Addresses of takes."""

from django.urls import path

from studio.takes import compare_views, file_views, film_views, views

urlpatterns = [
    path("places/<int:place_id>/takes/", views.takes, name="takes"),
    path("places/<int:place_id>/take-form/", views.take_form, name="take-form"),
    path("places/<int:place_id>/budget/", views.budget, name="budget"),
    path("places/<int:place_id>/take/", views.begin, name="begin-take"),
    path("places/<int:place_id>/rehearse/", views.rehearse, name="rehearse"),
    path("places/<int:place_id>/rest/", views.rest, name="rest"),
    path("places/<int:place_id>/ready/", views.ready, name="ready"),
    path("places/<int:place_id>/shown/<slug:key>.jpg", views.stored_frame, name="shown"),
    path("places/<int:place_id>/takes/compare/", compare_views.compare, name="compare-takes"),
    path("places/<int:place_id>/film/ready/", film_views.ready, name="film-ready"),
    path("places/<int:place_id>/film/take/", film_views.take, name="take-film"),
    path("takes/<int:take_id>/notes/", compare_views.pin, name="pin-note"),
    path("takes/<int:take_id>/restore/", compare_views.restore, name="restore-take"),
    path("takes/<int:take_id>/sheet.png", compare_views.sheet, name="contact-sheet"),
    path("notes/<int:note_id>/", compare_views.settle, name="settle-note"),
    path("takes/<int:take_id>/", views.row, name="take"),
    path("takes/<int:take_id>/cancel/", views.cancel, name="cancel-take"),
    path("takes/<int:take_id>/resume/", views.resume, name="resume-take"),
    path("takes/<int:take_id>/film.mp4", file_views.film, name="film"),
    path("takes/<int:take_id>/gobo/", file_views.use_as_gobo, name="use-as-gobo"),
    path("takes/<int:take_id>/frames.zip", file_views.frames_zip, name="frames-zip"),
    path("takes/<int:take_id>/frames/<int:number>.png", file_views.frame, name="frame"),
]
