from web.people.rights import route
from web.structures import dimensions, founding, overlays, views

urlpatterns = [
    route("new/structure/", founding.new, "structure-new"),
    route("structures/", views.first, "structures"),
    route("structures/<str:chart>/", views.structure, "structure"),
    route("structures/<str:chart>/strings/", views.strings, "strings"),
    route("structures/<str:chart>/dimensions/", dimensions.page, "dimensions"),
    route("structures/<str:chart>/dimensions/hang/", dimensions.hang, "dimension-hang"),
    route("overlays/<str:overlay>/", overlays.overlay, "overlay"),
    route("structures/<str:chart>/try/", views.try_account, "try-account"),
]
