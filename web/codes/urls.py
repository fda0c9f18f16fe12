from web.codes import many, views
from web.people.rights import route

urlpatterns = [
    route("", views.first_list, "codes"),
    route("new-list/", views.new_list, "new-list"),
    route("<str:code_list>/", views.code_list_page, "code-list"),
    route("<str:code_list>/rows/", views.rows, "code-rows"),
    route("<str:code_list>/new/", views.new, "code-new"),
    route("<str:code_list>/probe/", views.probe, "code-probe"),
    route("<str:code_list>/add/", views.add, "code-add"),
    route("<str:code_list>/move/", views.move, "code-move"),
    route("<str:code_list>/several/", many.several, "codes-several"),
    route("<str:code_list>/columns/", many.choose_columns, "codes-columns"),
    route("<str:code_list>/bring/", many.bring, "codes-bring"),
    route("<str:code_list>/out/<str:kind>/", many.out, "codes-out"),
    route("<str:code_list>/code/<str:code>/", views.code, "code"),
    route("<str:code_list>/code/<str:code>/edit/", views.edit, "code-edit"),
    route("<str:code_list>/code/<str:code>/close/", views.close, "code-close"),
    route("<str:code_list>/code/<str:code>/delete/", views.delete, "code-delete"),
    route("<str:code_list>/code/<str:code>/shift/<str:way>/", views.shift, "code-shift"),
]
