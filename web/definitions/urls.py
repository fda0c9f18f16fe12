from web.definitions import views
from web.people.rights import route

urlpatterns = [
    route("define/<str:table>/", views.define, "define"),
    route("log/", views.log, "log"),
    route("log/out/<str:kind>/", views.log_out, "log-out"),
    route("log/<int:version>/", views.logged, "logged"),
    route("log/<int:version>/take-back/", views.take_back, "take-back"),
]
