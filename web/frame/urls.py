from web.frame import views
from web.people.rights import route

urlpatterns = [
    route("", views.home, "home"),
    route("alive", views.alive, "alive"),
    route("find/", views.find, "find"),
]
