from django.contrib.auth.views import LoginView, LogoutView

from web.people import access_views, views
from web.people.rights import OPEN, naming_right, route

sign_in = naming_right(
    LoginView.as_view(template_name="people/sign_in.html", redirect_authenticated_user=True), OPEN
)
sign_out = naming_right(LogoutView.as_view(), OPEN)

urlpatterns = [
    route("sign-in/", sign_in, "sign-in"),
    route("sign-out/", sign_out, "sign-out"),
    route("people/", views.people, "people"),
    route("people/change/", views.change, "people-change"),
    route("people/access/", access_views.matrix, "access"),
    route("people/access/of/", access_views.of_person, "access-of"),
    route("people/access/change/", access_views.change, "access-change"),
    route("me/", views.own, "own-password"),
    route("me/sees-as/", views.see_as, "see-as"),
    route("link/<str:token>/", views.one_time_link, "one-time-link"),
]
