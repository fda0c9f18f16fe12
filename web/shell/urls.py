from web.people.rights import route
from web.shell import views

urlpatterns = [
    route("", views.home, "home"),
    route("alive", views.alive, "alive"),
    route("find/", views.find, "find"),
]
