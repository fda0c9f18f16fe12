from web.exchange import audit_file, views
from web.people.rights import route

urlpatterns = [
    route("", views.exchange, "exchange"),
    route("in/", views.bring_in, "bring-in"),
    route("job/<int:number>/", views.import_job, "import-job"),
    route("job/<int:number>/stop/", views.stop_job, "stop-job"),
    route("out/<str:kind>/", views.take_out, "take-out"),
    route("report/<str:kind>/", views.report, "report"),
    route("audit-file/<str:company>/", audit_file.page, "audit-file"),
    route("journals/<str:company>/", views.journals_file, "journals-file"),
]
