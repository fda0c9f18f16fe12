from web.people.rights import route
from web.rollouts import run_views, views

urlpatterns = [
    route("", views.listing, "rollouts"),
    route("run/<str:number>/", run_views.run, "rollout-run"),
    route("run/<str:number>/cell/", run_views.run_cell, "rollout-run-cell"),
    route("of/<str:rollout>/", views.rollout, "rollout"),
    route("of/<str:rollout>/cell/", views.cell, "rollout-cell"),
    route("of/<str:rollout>/what/", views.what, "rollout-what"),
    route("of/<str:rollout>/fill/", views.fill, "rollout-fill"),
    route("of/<str:rollout>/leave-out/", views.leave_out, "rollout-leave-out"),
    route("of/<str:rollout>/make/", views.make, "rollout-make"),
    route("of/<str:rollout>/progress/", views.progress, "rollout-progress"),
    route("of/<str:rollout>/stop/", views.stop, "rollout-stop"),
]
