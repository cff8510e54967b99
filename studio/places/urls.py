"""Addresses of the plan chest and the workspace."""

from django.urls import path

from studio.places import route_views, time_views, views

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
    path("places/<int:place_id>/ride/", route_views.ride, name="ride"),
    path("places/<int:place_id>/mend/", route_views.mended, name="mend"),
    path("places/<int:place_id>/draft/", route_views.draft, name="draft"),
    path("places/<int:place_id>/draw/", route_views.drawn, name="draw"),
    path("places/<int:place_id>/suggest/", route_views.suggested, name="suggest"),
    path("places/<int:place_id>/lay/", route_views.laid, name="lay"),
    path("places/<int:place_id>/spot/", route_views.spot, name="spot"),
    path("places/<int:place_id>/cameras/", route_views.cameras, name="cameras"),
    path("places/<int:place_id>/clock/", time_views.clock, name="clock"),
    path("places/<int:place_id>/clip/", time_views.clip, name="clip"),
    path("places/<int:place_id>/lapse/", time_views.lapse, name="lapse"),
    path("places/<int:place_id>/around/", time_views.around, name="around"),
    path("places/<int:place_id>/meet/", time_views.meet, name="meet"),
    path("places/<int:place_id>/numbers/", time_views.numbers, name="numbers"),
    path("places/<int:place_id>/seam/", time_views.seam, name="seam"),
    path("places/<int:place_id>/seam/step/", time_views.seam_step, name="seam-step"),
    path("places/<int:place_id>/amount/", time_views.amount, name="amount"),
    path("places/<int:place_id>/history/", time_views.history, name="history"),
    path("places/<int:place_id>/history/name/", time_views.name_state, name="name-state"),
    path("places/<int:place_id>/history/compare/", time_views.compare, name="compare"),
    path("places/<int:place_id>/throw-out/", views.throw_out, name="throw-out"),
    path("places/<int:place_id>/bring-back/", views.bring_back, name="bring-back"),
]
