from web.companies import views
from web.people.rights import route

urlpatterns = [
    route("", views.companies, "companies"),
    route("<str:company>/", views.company, "company"),
]
