from web.group import equity, figure, rates, sides, statement, steps, views
from web.people.rights import route

urlpatterns = [
    route("", views.first, "groups"),
    route("<str:group>/", statement.group, "group"),
    route("<str:group>/members/", views.members, "members"),
    route("<str:group>/steps/", steps.steps, "group-steps"),
    route("<str:group>/steps/<str:act>/<str:company>/", steps.step, "group-step"),
    route("<str:group>/rates/", rates.rates, "group-rates"),
    route("<str:group>/sides/", sides.sides, "group-sides"),
    route("<str:group>/sides/<str:elimination>/<str:company>/<str:partner>/", sides.pair, "group-pair"),
    route("<str:group>/equity/", equity.equity, "group-equity"),
    route("<str:group>/workbook/", statement.workbook, "group-workbook"),
    route("<str:group>/cell/<str:line>/<str:column>/", figure.cell, "group-cell"),
    route("<str:group>/cell/<str:line>/<str:company>/<str:code>/", figure.account, "group-account"),
    route("<str:group>/mapping/<str:company>/", views.mapping, "mapping"),
    route("<str:group>/mapping/<str:company>/map/", views.map_accounts, "map-accounts"),
]
