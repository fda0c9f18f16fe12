from web.group import views
from web.people.rights import route

urlpatterns = [
    route("", views.first, "groups"),
    route("<str:group>/", views.group, "group"),
    route("<str:group>/members/", views.members, "members"),
    route("<str:group>/workbook/", views.workbook, "group-workbook"),
    route("<str:group>/cell/<str:line>/<str:column>/", views.cell, "group-cell"),
    route("<str:group>/mapping/<str:company>/", views.mapping, "mapping"),
    route("<str:group>/mapping/<str:company>/map/", views.map_accounts, "map-accounts"),
]
