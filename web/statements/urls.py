from web.people.rights import route
from web.statements import (
    beside,
    figure_columns,
    figure_views,
    line_views,
    remarks,
    sheets as sheets,  # registers its tables
    trial,
    views,
)

urlpatterns = [
    route("", views.first, "statements"),
    route("make/new/", views.new, "statement-new"),
    route("propose/", views.propose, "statement-propose"),
    route("columns/keep/", figure_columns.keep_columns, "columns-keep"),
    route("trial-balance/", trial.trial, "trial-balance"),
    route("<str:statement>/", views.statement, "statement"),
    route("hierarchy/<str:hierarchy>/figures/", figure_views.figures, "hierarchy-figures"),
    route("hierarchy/<str:hierarchy>/figures/cell/", figure_views.cell, "hierarchy-figure"),
    route("hierarchy/<str:hierarchy>/figures/workbook/", figure_views.workbook, "hierarchy-workbook"),
    route("<str:statement>/figures/", figure_views.figures, "figures"),
    route("<str:statement>/figures/cell/", figure_views.cell, "figure"),
    route("<str:statement>/figures/workbook/", figure_views.workbook, "figures-workbook"),
    route("<str:statement>/beside/", beside.beside, "statement-beside"),
    route("<str:statement>/remark/", remarks.remark, "remark"),
    route("<str:statement>/remark/<str:number>/end/", remarks.end_remark, "remark-end"),
    route("<str:statement>/workbook/", views.workbook, "statement-workbook"),
    route("<str:statement>/add/", line_views.add, "line-add"),
    route("<str:statement>/move/", line_views.move, "line-move"),
    route("<str:statement>/place/", line_views.place, "line-place"),
    route("<str:statement>/line/<str:line>/", line_views.line, "line"),
    route("<str:statement>/line/<str:line>/change/", line_views.change, "line-change"),
    route("<str:statement>/line/<str:line>/delete/", line_views.delete, "line-delete"),
    route("<str:statement>/shift/<str:way>/", line_views.shift, "line-shift"),
]
