from web.budgets import keying, listing, remarks, views
from web.people.rights import route

BOOK = "<str:budget>/<str:company>/<str:statement>/"

urlpatterns = [
    route("", views.listing, "budgets"),
    route("make/new/", listing.new, "budget-new"),
    route("<str:budget>/", views.first_book, "budget-first"),
    route("<str:budget>/approve/", listing.approve, "budget-approve"),
    route(BOOK, views.budget, "budget"),
    route(f"{BOOK}row/", keying.row, "budget-row"),
    route(f"{BOOK}several/", keying.several, "budget-several"),
    route(f"{BOOK}back/<str:number>/", keying.take_back, "budget-back"),
    route(f"{BOOK}remark/<str:number>/end/", remarks.end_remark, "budget-remark-end"),
    route(f"{BOOK}bring/", keying.bring, "budget-bring"),
    route(f"{BOOK}out/<str:kind>/", views.out, "budget-out"),
]
