from django.contrib.auth.views import LogoutView

from web.people import access_views, signing_in, single_sign_on, views
from web.people.rights import OPEN, naming_right, route

sign_in = naming_right(signing_in.SignIn.as_view(), OPEN)
single = naming_right(single_sign_on.Begin.as_view(), OPEN)
back = naming_right(single_sign_on.Back.as_view(), OPEN)
sign_out = naming_right(LogoutView.as_view(), OPEN)

urlpatterns = [
    route("sign-in/", sign_in, "sign-in"),
    route("sign-in/code/", signing_in.code, "sign-in-code"),
    route("sign-in/single/", single, "single-sign-on"),
    route("sign-in/back/", back, "single-sign-on-back"),
    route("sign-out/", sign_out, "sign-out"),
    route("people/", views.people, "people"),
    route("people/change/", views.change, "people-change"),
    route("people/access/", access_views.matrix, "access"),
    route("people/access/of/", access_views.of_person, "access-of"),
    route("people/access/change/", access_views.change, "access-change"),
    route("me/", views.own, "own-password"),
    route("me/settings/", views.own_settings, "own-settings"),
    route("me/closed/", views.closed_codes, "closed-codes"),
    route("me/factor/", signing_in.own_factor, "own-factor"),
    route("me/sees-as/", views.see_as, "see-as"),
    route("link/<str:token>/", views.one_time_link, "one-time-link"),
]
