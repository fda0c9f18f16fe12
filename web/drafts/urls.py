from web.drafts import versions, views
from web.people.rights import route

urlpatterns = [
    route("drafts/", views.drafts, "drafts"),
    route("drafts/new/", views.new, "draft-new"),
    route("drafts/leave/", views.leave, "draft-leave"),
    route("drafts/view/", views.go_over, "view-go-over"),
    route("drafts/undo/", views.undo, "draft-undo"),
    route("drafts/redo/", views.redo, "draft-redo"),
    route("drafts/<int:number>/", views.draft, "draft"),
    route("drafts/<int:number>/open/", views.open_draft, "draft-open"),
    route("drafts/<int:number>/moves/", views.moves, "draft-moves"),
    route("drafts/<int:number>/causes/", views.causes, "draft-causes"),
    route("drafts/<int:number>/take-back/<int:change>/", views.take_back, "draft-take-back"),
    route("drafts/<int:number>/settle/", views.settle, "draft-settle"),
    route("drafts/<int:number>/publish/", views.publish, "draft-publish"),
    route("drafts/<int:number>/say/", views.say, "draft-say"),
    route("drafts/<int:number>/drop/", views.drop, "draft-drop"),
    route("versions/<int:version>/look/", versions.look, "version-look"),
    route("versions/now/", versions.now, "version-now"),
    route("versions/<int:version>/bring-back/", versions.bring_back, "version-bring-back"),
    route("versions/compare/", versions.compare, "versions-compare"),
]
