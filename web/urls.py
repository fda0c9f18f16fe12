from django.urls import include, path

urlpatterns = [
    path("", include("web.frame.urls")),
    path("", include("web.people.urls")),
    path("", include("web.sheets.urls")),
    path("codes/", include("web.codes.urls")),
    path("hierarchies/", include("web.hierarchies.urls")),
    path("", include("web.structures.urls")),
    path("", include("web.companies.urls")),
    path("journals/", include("web.journals.urls")),
    path("statements/", include("web.statements.urls")),
    path("budgets/", include("web.budgets.urls")),
    path("requests/", include("web.requests.urls")),
    path("rollouts/", include("web.rollouts.urls")),
    path("group/", include("web.group.urls")),
    path("", include("web.packs.urls")),
    path("", include("web.drafts.urls")),
    path("", include("web.chart_moves.urls")),
    path("exchange/", include("web.exchange.urls")),
]
handler500 = "web.shell.failing.broken"
