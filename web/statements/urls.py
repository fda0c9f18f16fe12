from web.people.rights import route
from web.statements import sheets as sheets  # registers its tables
from web.statements import trial, views

urlpatterns = [
    route("", views.first, "statements"),
    route("make/new/", views.new, "statement-new"),
    route("propose/", views.propose, "statement-propose"),
    route("trial-balance/", trial.trial, "trial-balance"),
    route("<str:statement>/", views.statement, "statement"),
    route("<str:statement>/workbook/", views.workbook, "statement-workbook"),
    route("<str:statement>/add/", views.add, "line-add"),
    route("<str:statement>/move/", views.move, "line-move"),
    route("<str:statement>/place/", views.place, "line-place"),
    route("<str:statement>/line/<str:line>/", views.line, "line"),
    route("<str:statement>/line/<str:line>/change/", views.change, "line-change"),
    route("<str:statement>/line/<str:line>/delete/", views.delete, "line-delete"),
    route("<str:statement>/line/<str:line>/shift/<str:way>/", views.shift, "line-shift"),
]
