from web.packs import views
from web.people.rights import route

urlpatterns = [
    route("packs/", views.listing, "packs"),
    route("packs/make/new/", views.new, "pack-new"),
    route("packs/make/matrix/", views.put_matrix, "pack-matrix"),
    route("packs/<str:number>/stop/", views.stop, "pack-stop"),
    route("packs/<str:number>/file/", views.file, "pack-file"),
    route("group/<str:group>/pdf/", views.group_pdf, "group-pdf"),
    route("statements/<str:statement>/figures/pdf/", views.figures_pdf, "figures-pdf"),
    route("group/<str:group>/matrix/pdf/", views.group_matrix_pdf, "group-matrix-pdf"),
    route("statements/<str:statement>/matrix/pdf/", views.matrix_pdf, "matrix-pdf"),
    route("statements/hierarchy/<str:hierarchy>/matrix/pdf/", views.matrix_pdf, "hierarchy-matrix-pdf"),
    route("statements/hierarchy/<str:hierarchy>/figures/pdf/", views.figures_pdf, "hierarchy-pdf"),
]
