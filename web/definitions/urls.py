from web.definitions import sheet_views, views
from web.people.rights import route

urlpatterns = [
    route("registers/", sheet_views.registers, "registers"),
    route("table/<str:sheet>/", sheet_views.rows, "sheet-rows"),
    route("table/<str:sheet>/row/", sheet_views.row, "sheet-row"),
    route("table/<str:sheet>/several/", sheet_views.several, "sheet-several"),
    route("table/<str:sheet>/about/", sheet_views.about, "sheet-about"),
    route("table/<str:sheet>/bring/", sheet_views.bring, "sheet-bring"),
    route("table/<str:sheet>/out/<str:kind>/", sheet_views.out, "sheet-out"),
    route("log/", views.log, "log"),
    route("log/out/<str:kind>/", views.log_out, "log-out"),
    route("log/<int:version>/", views.logged, "logged"),
    route("log/<int:version>/take-back/", views.take_back, "take-back"),
]
