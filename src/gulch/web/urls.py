"""Addresses of the application."""

from django.contrib.auth import views as auth
from django.urls import path

from gulch.web.api import tokens
from gulch.web.api.v1 import api
from gulch.web.chemistry import views as chemistry_views
from gulch.web.help import views as help_views
from gulch.web.measured import views as measured_views
from gulch.web.notebook import views as notebook_views
from gulch.web.operating import views as operating_views
from gulch.web.projects import accounts, courses, files, views
from gulch.web.scans import views as scan_views

urlpatterns = [
    path("", views.project_list, name="projects"),
    path("sign-in/", auth.LoginView.as_view(template_name="projects/sign_in.html"), name="sign-in"),
    path("sign-out/", auth.LogoutView.as_view(), name="sign-out"),
    path("password/", accounts.change_password, name="password"),
    path("accounts/", accounts.accounts, name="accounts"),
    path("accounts/<int:pk>/", accounts.set_password, name="set-password"),
    path("accounts/<int:pk>/close/", accounts.close_account, name="close-account"),
    path("api/v1/", api.urls),
    path("health/", operating_views.health, name="health"),
    path("metrics/", operating_views.metrics, name="metrics"),
    path("tokens/", tokens.tokens, name="tokens"),
    path("tokens/<int:pk>/revoke/", tokens.revoke, name="revoke-token"),
    path("help/", help_views.contents, name="help"),
    path("help/<slug:name>/", help_views.page, name="help-page"),
    path("new/", views.new, name="new"),
    path("import/", views.import_file, name="import"),
    path("load-demo/", views.load_demo, name="load-demo"),
    path("p/<int:pk>/remove/", views.remove, name="remove"),
    path("p/<int:pk>/copy/", views.copy, name="copy"),
    path("p/<int:pk>/revisions/", views.revisions, name="revisions"),
    path("p/<int:pk>/revisions/compare/", views.compare_revisions, name="compare-revisions"),
    path("p/<int:pk>/revisions/<int:number>/name/", views.name_revision, name="name-revision"),
    path("p/<int:pk>/restore/<int:number>/", views.restore, name="restore"),
    path("p/<int:pk>/export.json", files.export_json, name="export-json"),
    path("p/<int:pk>/ledger.csv", files.export_csv, name="export-csv"),
    path("p/<int:pk>/project.xlsx", files.export_xlsx, name="export-xlsx"),
    path("p/<int:pk>/report/", notebook_views.make, name="report"),
    path("p/<int:pk>/report/<int:report>.<slug:kind>", notebook_views.kept, name="kept-report"),
    path("p/<int:pk>/report/<int:report>/remove/", notebook_views.drop, name="drop-report"),
    path("p/<int:pk>/profile/<slug:unit>.csv", files.export_profile, name="profile-csv"),
    path("p/<int:pk>/scan-run/<int:run>.csv", files.export_scan, {"kind": "csv"}, name="export-scan"),
    path("p/<int:pk>/scan-run/<int:run>.xlsx", files.export_scan, {"kind": "xlsx"}, name="export-scan-xlsx"),
    path("p/<int:pk>/do/<slug:name>/", views.do, name="do"),
    path("p/<int:pk>/leave-walk/", views.leave_walk, name="leave-walk"),
    path("p/<int:pk>/try/", views.try_knob, name="try"),
    path("p/<int:pk>/go-on/", views.go_on, name="go-on"),
    path("p/<int:pk>/solve-again/", views.solve_again, name="solve-again"),
    path("p/<int:pk>/stop/", views.stop, name="stop"),
    path("p/<int:pk>/progress/<slug:stage>/", views.progress, name="progress"),
    path("p/<int:pk>/scan-run/<int:run>/resume/", scan_views.scan_resume, name="scan-resume"),
    path("p/<int:pk>/scan-run/", scan_views.scan_run, name="scan-run"),
    path("p/<int:pk>/scan-run/<int:run>/cancel/", scan_views.scan_cancel, name="scan-cancel"),
    path("p/<int:pk>/scan-run/<int:run>/", scan_views.scan_progress, name="scan-progress"),
    path("p/<int:pk>/find/", views.find_anything, name="find"),
    path("p/<int:pk>/known/<slug:of>/", views.known, name="known"),
    path("p/<int:pk>/species/", views.species_search, name="species-search"),
    path("p/<int:pk>/model-trials/", chemistry_views.model_trials, name="model-trials"),
    path("p/<int:pk>/fit-stop/", measured_views.fit_stop, name="fit-stop"),
    path("p/<int:pk>/fit/<slug:fit>/again/", measured_views.fit_again, name="fit-again"),
    path("p/<int:pk>/courses/<str:of>/", courses.courses, name="courses"),
    path("p/<int:pk>/undo/", views.history, {"way": "undo"}, name="undo"),
    path("p/<int:pk>/redo/", views.history, {"way": "redo"}, name="redo"),
    path("p/<int:pk>/<slug:stage>/", views.stage, name="stage"),
]
