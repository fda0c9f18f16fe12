from web.group import equity, figure, mapping, moved, period_end, rates, sides, statement, steps, views
from web.people.rights import route

urlpatterns = [
    route("", views.first, "groups"),
    route("<str:group>/", statement.group, "group"),
    route("<str:group>/members/", views.members, "members"),
    route("<str:group>/steps/", steps.steps, "group-steps"),
    route("<str:group>/steps/<str:act>/<str:company>/", steps.step, "group-step"),
    route("<str:group>/rates/", rates.rates, "group-rates"),
    route("<str:group>/rates/feed/", rates.feed, "group-rate-feed"),
    route("<str:group>/sides/", sides.sides, "group-sides"),
    route("<str:group>/sides/<str:elimination>/<str:company>/<str:partner>/", sides.pair, "group-pair"),
    route("<str:group>/sides/<str:elimination>/<str:company>/<str:partner>/note/", sides.note, "group-note"),
    route("<str:group>/period-end/", period_end.period_end, "group-period-end"),
    route("<str:group>/period-end/keep/", period_end.keep, "group-keep"),
    route("<str:group>/period-end/release/", period_end.release, "group-release"),
    route("<str:group>/kept/", moved.kept_period, "group-kept"),
    route("<str:group>/kept/workbook/", moved.kept_workbook, "group-kept-workbook"),
    route("<str:group>/kept/causes/", moved.causes, "group-causes"),
    route("<str:group>/equity/", equity.equity, "group-equity"),
    route("<str:group>/workbook/", statement.workbook, "group-workbook"),
    route("<str:group>/cell/<str:line>/<str:column>/", figure.cell, "group-cell"),
    route("<str:group>/cell/<str:line>/<str:company>/<str:code>/", figure.account, "group-account"),
    route("<str:group>/mapping/<str:company>/", mapping.mapping, "mapping"),
    route("<str:group>/mapping/<str:company>/map/", mapping.map_accounts, "map-accounts"),
    route("<str:group>/mapping/<str:company>/looked-at/", mapping.looked_at, "mapping-looked-at"),
    route("<str:group>/mapping/<str:company>/settle/", mapping.settle, "mapping-settle"),
]
