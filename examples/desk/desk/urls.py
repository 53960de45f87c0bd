from django.contrib.staticfiles.views import serve
from django.urls import path, re_path

from desk import crew, files, trees

urlpatterns = [
    path("", trees.index, name="trees"),
    path("trees/<number>", trees.tree, name="tree"),
    path("trees/<number>/picture", trees.content, {"operation": "get-picture"}, name="picture"),
    path("trees/<number>/sheet", trees.content, {"operation": "get-sheet"}, name="sheet"),
    path("trees/<number>/papers", trees.hand_in, name="papers"),
    path("trees/<number>/papers/<place>", trees.content, {"operation": "get-paper"}, name="paper"),
    path("trees/<number>/file", files.file, name="file"),
    path("trees/<number>/file/begin", files.begin, {"flow": "tree-file"}, name="begin-file"),
    path("trees/<number>/felling", files.begin, {"flow": "may-it-be-felled"}, name="felling"),
    path("begun/<int:run>", files.begun, name="begun"),
    path("counts", trees.count, name="counts"),
    path("counts/<int:run>", trees.counted, name="counted"),
    path("counts/<int:run>/states", trees.states, name="states"),
    path("days", crew.days, name="days"),
    path("days/plan", crew.change, {"operation": "plan-day"}, name="plan"),
    path("days/<number>/move", crew.change, {"operation": "move-day"}, name="move"),
    path("days/<number>/cancel", crew.change, {"operation": "cancel-day"}, name="cancel"),
    path("crew/sign-in", crew.sign_in, name="sign-in"),
    path("crew/back", crew.back, name="back"),
    path("crew/sign-out", crew.sign_out, name="sign-out"),
    re_path(r"^static/(?P<path>.*)$", serve, {"insecure": True}),
]
