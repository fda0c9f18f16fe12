from web.companies import founding, views
from web.people.rights import route

urlpatterns = [
    route("new/company/", founding.new, "company-new"),
    route("companies/", views.companies, "companies"),
    route("companies/<str:company>/", views.company, "company"),
    route("companies/<str:company>/pairs/", founding.pairs, "company-pairs"),
    route("companies/<str:company>/next-year/", founding.next_year_of, "company-next-year"),
]
