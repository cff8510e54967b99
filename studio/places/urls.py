"""Addresses of the plan chest and the workspace."""

from django.urls import path

from studio.places import views

urlpatterns = [
    path("", views.chest, name="chest"),
    path("help/", views.help_page, name="help"),
    path("places/bring-in/", views.bring_in, name="bring-in"),
    path("places/<int:place_id>/", views.workspace, name="place"),
    path("places/<int:place_id>/print.jpg", views.place_print, name="print"),
    path("places/<int:place_id>/state/", views.state, name="state"),
    path("places/<int:place_id>/chart/", views.chart, name="chart"),
    path("places/<int:place_id>/edit/", views.edit, name="edit"),
    path("places/<int:place_id>/bring/", views.bring, name="bring"),
    path("places/<int:place_id>/grey/", views.grey, name="grey"),
    path("places/<int:place_id>/slip/", views.slip, name="slip"),
    path("places/<int:place_id>/waves/", views.waves, name="waves"),
    path("places/<int:place_id>/look/", views.look, name="look"),
    path("places/<int:place_id>/export/", views.export, name="export"),
    path("places/<int:place_id>/history/", views.history, name="history"),
    path("places/<int:place_id>/throw-out/", views.throw_out, name="throw-out"),
    path("places/<int:place_id>/bring-back/", views.bring_back, name="bring-back"),
]
