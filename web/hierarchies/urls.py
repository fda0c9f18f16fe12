from web.hierarchies import changing, views
from web.people.rights import route

urlpatterns = [
    route("of/<str:code_list>/", views.of_list, "hierarchies"),
    route("of/<str:code_list>/new/", changing.new, "hierarchy-new"),
    route("<str:hierarchy>/", views.listed, "hierarchy"),
    route("<str:hierarchy>/rows/", views.rows, "hierarchy-rows"),
    route("<str:hierarchy>/elevation/", views.elevation, "elevation"),
    route("<str:hierarchy>/elevation.svg", views.drawing, "elevation-svg"),
    route("<str:hierarchy>/out/<str:kind>/", views.out, "hierarchy-out"),
    route("<str:hierarchy>/compare/", views.compare, "hierarchy-compare"),
    route("<str:hierarchy>/node/<str:code>/", views.node, "hierarchy-node"),
    route("<str:hierarchy>/header/", changing.header, "hierarchy-header"),
    route("<str:hierarchy>/shift/<str:way>/", changing.shift, "hierarchy-shift"),
    route("<str:hierarchy>/move/", changing.move, "hierarchy-move"),
    route("<str:hierarchy>/leave/", changing.leave, "hierarchy-leave"),
    route("<str:hierarchy>/intake/", changing.intake, "hierarchy-intake"),
    route("<str:hierarchy>/keep/", changing.keep, "hierarchy-keep"),
]
