from web.chart_moves import views
from web.people.rights import route

urlpatterns = [
    route("companies/<str:company>/chart-move/", views.page, "chart-move"),
    route("companies/<str:company>/chart-move/groups/", views.groups, "chart-move-groups"),
    route("companies/<str:company>/chart-move/map/", views.map_first, "chart-move-map"),
    route("companies/<str:company>/chart-move/make/", views.make, "chart-move-make"),
]
