from web.journals import entry, period_matrix, revaluation_views, views, year_end_views
from web.people.rights import route

urlpatterns = [
    route("", views.first, "journals"),
    route("make/year-end/", year_end_views.year_end_page, "year-end"),
    route("make/year-end/act/", year_end_views.act, "year-end-act"),
    route("make/year-end/<str:company>/lines/", year_end_views.lines, "year-end-lines"),
    route("make/revaluation/", revaluation_views.page, "revaluation"),
    route("make/revaluation/act/", revaluation_views.act, "revaluation-act"),
    route("make/revaluation/<str:company>/lines/", revaluation_views.lines, "revaluation-lines"),
    route("make/periods/", period_matrix.page, "period-matrix"),
    route("make/periods/cell/", period_matrix.cell, "period-cell"),
    route("make/periods/put/", period_matrix.put, "period-put"),
    route("<str:company>/", views.journals, "company-journals"),
    route("<str:company>/new/", entry.new, "journal-new"),
    route("<str:company>/check/", entry.check, "journal-check"),
    route("<str:company>/post/", entry.post, "journal-post"),
    route("<str:company>/hand-in/", entry.hand_over, "journal-hand-in"),
    route("<str:company>/handed/<str:number>/drop/", entry.drop_handed, "journal-handed-drop"),
    route("<str:company>/handed/<str:number>/back/", entry.send_handed_back, "journal-handed-back"),
    route("<str:company>/forget/", entry.forget, "journal-forget"),
    route("<str:company>/complete/", entry.complete, "journal-complete"),
    route("<str:company>/account/<str:code>/", views.account_lines, "account-lines"),
    route("<str:company>/journal/<str:journal>/", views.journal, "journal"),
    route("<str:company>/journal/<str:journal>/reverse/", views.reverse_journal, "journal-reverse"),
]
