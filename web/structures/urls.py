from web.people.rights import route
from web.structures import dimensions, founding, overlays, second_charts, views

urlpatterns = [
    route("new/structure/", founding.new, "structure-new"),
    route("structures/", views.first, "structures"),
    route("structures/<str:chart>/", views.structure, "structure"),
    route("structures/<str:chart>/strings/", views.strings, "strings"),
    route("structures/<str:chart>/dimensions/", dimensions.page, "dimensions"),
    route("structures/<str:chart>/dimensions/hang/", dimensions.hang, "dimension-hang"),
    route("overlays/<str:overlay>/", overlays.overlay, "overlay"),
    route("companies/<str:company>/charts/<str:second_chart>/", second_charts.second_chart, "second-chart"),
    route(
        "companies/<str:company>/charts/<str:second_chart>/map/",
        second_charts.map_accounts,
        "second-chart-map",
    ),
    route(
        "companies/<str:company>/charts/<str:second_chart>/taken/",
        second_charts.taken_looked_at,
        "second-chart-taken",
    ),
    route("structures/<str:chart>/try/", views.try_account, "try-account"),
]
