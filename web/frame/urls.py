from web.frame import today, views
from web.people.rights import route

urlpatterns = [
    route("", views.home, "home"),
    route("today/", today.today, "today"),
    route("today/groups/", today.of_groups, "today-groups"),
    route("alive", views.alive, "alive"),
    route("find/", views.find, "find"),
]
