from web.people.rights import route
from web.requests import views

urlpatterns = [
    route("", views.listing, "requests"),
    route("new/", views.new, "request-new"),
    route("<str:number>/", views.one, "request"),
    route("<str:number>/make/", views.make, "request-make"),
    route("<str:number>/decline/", views.decline, "request-decline"),
    route("<str:number>/withdraw/", views.withdraw, "request-withdraw"),
]
