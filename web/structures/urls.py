from web.people.rights import route
from web.structures import views

urlpatterns = [
    route("", views.first, "structures"),
    route("<str:chart>/", views.structure, "structure"),
    route("<str:chart>/strings/", views.strings, "strings"),
    route("<str:chart>/try/", views.try_account, "try-account"),
]
