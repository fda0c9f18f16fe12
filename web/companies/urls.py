from web.companies import founding, open_accounts, pair_matrix, register, views
from web.people.rights import route

urlpatterns = [
    route("new/company/", founding.new, "company-new"),
    route("new/company/preview/", founding.preview, "company-preview"),
    route("companies/", register.companies, "companies"),
    route("companies/shown/columns/", register.choose_columns, "companies-columns"),
    route("companies/drawn/map/", views.drawn, "company-map"),
    route("companies/open/accounts/", open_accounts.page, "open-accounts"),
    route("companies/open/accounts/cell/", open_accounts.cell, "open-cell"),
    route("companies/open/accounts/put/", open_accounts.put, "open-put"),
    route("companies/open/accounts/listing/", open_accounts.listing, "open-listing"),
    route("companies/pairs/matrix/", pair_matrix.page, "pair-matrix"),
    route("companies/pairs/matrix/cell/", pair_matrix.cell, "pair-cell"),
    route("companies/pairs/matrix/propose/", pair_matrix.propose, "pair-propose"),
    route("companies/pairs/matrix/put/", pair_matrix.put, "pair-put"),
    route("companies/pairs/matrix/simulate/", pair_matrix.simulate, "pair-simulate"),
    route("companies/<str:company>/", views.company, "company"),
    route("companies/<str:company>/pairs/", founding.pairs, "company-pairs"),
    route("companies/<str:company>/next-year/", founding.next_year_of, "company-next-year"),
]
