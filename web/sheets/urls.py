from web.people.rights import route
from web.sheets import log_views, row_views

urlpatterns = [
    route("registers/", row_views.registers, "registers"),
    route("table/<str:sheet>/", row_views.rows, "sheet-rows"),
    route("table/<str:sheet>/row/", row_views.row, "sheet-row"),
    route("table/<str:sheet>/several/", row_views.several, "sheet-several"),
    route("table/<str:sheet>/about/", row_views.about, "sheet-about"),
    route("table/<str:sheet>/bring/", row_views.bring, "sheet-bring"),
    route("table/<str:sheet>/out/<str:kind>/", row_views.out, "sheet-out"),
    route("log/", log_views.log, "log"),
    route("log/out/<str:kind>/", log_views.log_out, "log-out"),
    route("log/<int:version>/", log_views.logged, "logged"),
    route("log/<int:version>/take-back/", log_views.take_back, "take-back"),
]
