"""Every address of the service: /api/v1 for programs, all others are the console's."""

from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularSwaggerSplitView
from rest_framework.routers import SimpleRouter

from rondine.server.access import administration
from rondine.server.access import views as access
from rondine.server.api import pages
from rondine.server.api.problems import no_such_address
from rondine.server.applications import views as applications
from rondine.server.cases import views as cases
from rondine.server.connecting import connection_views as connections
from rondine.server.connecting import credential_views as credentials
from rondine.server.connecting import views as connecting
from rondine.server.connecting.callback import any_page, callback
from rondine.server.definitions import views as definitions
from rondine.server.feeds import calendar_views as calendar
from rondine.server.feeds import drift_views as drift
from rondine.server.feeds import views as feeds
from rondine.server.finding import views as finding
from rondine.server.flows import arazzo_views as flow_arazzo
from rondine.server.flows import editing_views as flow_editing
from rondine.server.flows import views as flows
from rondine.server.items import naming_views as naming
from rondine.server.items import schema_views as document_schemas
from rondine.server.live import views as live
from rondine.server.mappings import fixed_views as fixed
from rondine.server.mappings import readings
from rondine.server.mappings import views as mappings
from rondine.server.operations import body_views as bodies
from rondine.server.operations import describing_views as describing
from rondine.server.operations import preparation_views as preparation
from rondine.server.operations import trial_views as trials
from rondine.server.operations import views as operations
from rondine.server.operations.standing_in_views import StandInView
from rondine.server.records import planned_views as planned
from rondine.server.records import profile_views as profiles
from rondine.server.records import views as records
from rondine.server.releases import views as releases
from rondine.server.runs import views as runs
from rondine.server.subscriptions import views as subscriptions
from rondine.server.webhooks import views as webhooks

PROJECT = "api/v1/projects/<slug:project>"


#: All kinds of items, by their place below a project.
items = SimpleRouter(trailing_slash=False, use_regex_path=False)
for prefix, view_set in {
    "services": connecting.ServiceViewSet,
    "credentials": connecting.CredentialViewSet,
    "connections": connecting.ConnectionViewSet,
    "standing-values": connecting.StandingValueViewSet,
    "operations": operations.OperationViewSet,
    "samples": operations.SampleViewSet,
    "queries": operations.QueryViewSet,
    "record-types": records.RecordTypeViewSet,
    "mappings": mappings.MappingViewSet,
    "bindings": live.BindingViewSet,
    "cases": cases.CaseViewSet,
    "feeds": feeds.FeedViewSet,
    "flows": flows.FlowViewSet,
    "flow-schedules": flows.FlowScheduleViewSet,
    "webhooks": webhooks.WebhookViewSet,
    "subscriptions": subscriptions.SubscriptionViewSet,
    "definitions": definitions.DefinitionViewSet,
    "applications": applications.ApplicationViewSet,
}.items():
    items.register(prefix, view_set, basename=prefix)
items.register("pauses", flows.FlowPauseViewSet, basename="pauses")
items.register("events", subscriptions.EventViewSet, basename="events")
items.register("runs", runs.RunViewSet, basename="runs")
items.register("releases", releases.ReleaseViewSet, basename="releases")

urlpatterns = [
    path("api/v1/session", access.SessionView.as_view()),
    path("api/v1/session/password", access.PasswordView.as_view()),
    path("api/v1/session/tokens", access.OwnTokensView.as_view()),
    path("api/v1/session/tokens/<int:token_id>", access.OwnTokenView.as_view()),
    path("api/v1/tokens", access.TokenView.as_view()),
    path("api/v1/people", administration.PeopleView.as_view()),
    path("api/v1/people/<str:name>", administration.PersonView.as_view()),
    path("api/v1/people/<str:name>/password", administration.PersonPasswordView.as_view()),
    path("api/v1/people/<str:name>/tokens", administration.PersonTokensView.as_view()),
    path("api/v1/people/<str:name>/tokens/<int:token_id>", administration.PersonTokenView.as_view()),
    path("api/v1/projects", administration.ProjectsView.as_view()),
    path(PROJECT, administration.OneProjectView.as_view()),
    path(f"{PROJECT}/members", administration.MembersView.as_view()),
    path(f"{PROJECT}/members/<str:person>", administration.MemberView.as_view()),
    path("api/v1/health", pages.health),
    path("api/v1/openapi.json", pages.openapi_document, name="openapi"),
    path(
        "api/v1/docs",
        SpectacularSwaggerSplitView.as_view(url_name="openapi", permission_classes=[], authentication_classes=[]),
        name="docs",
    ),
    path(f"{PROJECT}/naming", naming.NamingView.as_view()),
    path(f"{PROJECT}/names", naming.NamesView.as_view()),
    path(f"{PROJECT}/document-schemas/<str:kind>", document_schemas.DocumentSchemaView.as_view()),
    path(f"{PROJECT}/hosts", access.HostsView.as_view()),
    path(f"{PROJECT}/hosts/<int:host_id>", access.HostView.as_view()),
    path(f"{PROJECT}/environments", connecting.EnvironmentsView.as_view()),
    path(f"{PROJECT}/environments/<str:name>", connecting.EnvironmentView.as_view()),
    path(f"{PROJECT}/environments/<str:name>/callback-proof", connecting.CallbackProofView.as_view()),
    path(f"{PROJECT}/environments/<str:name>/release", releases.EnvironmentReleaseView.as_view()),
    path(f"{PROJECT}/environments/<str:name>/release/back", releases.RollBackView.as_view()),
    path(f"{PROJECT}/environments/<str:name>/switches", releases.SwitchesView.as_view()),
    path(f"{PROJECT}/environments/<str:name>/checklist", releases.ChecklistView.as_view()),
    path(f"{PROJECT}/fixed-values", fixed.FixedValuesView.as_view()),
    path(f"{PROJECT}/release-check", releases.ReleaseCheckView.as_view()),
    path(f"{PROJECT}/release-differences", releases.ReleaseDifferencesView.as_view()),
    path(f"{PROJECT}/where-used/<str:kind>/<str:name>", finding.WhereUsedView.as_view()),
    path(f"{PROJECT}/search", finding.SearchView.as_view()),
    path(f"{PROJECT}/check", finding.ProjectCheckView.as_view()),
    path(f"{PROJECT}/obstacles", feeds.ObstaclesView.as_view()),
    path(f"{PROJECT}/moves", preparation.MovesView.as_view()),
    path(f"{PROJECT}/connection-forms", connections.ConnectionFormsView.as_view()),
    path(f"{PROJECT}/metadata", connections.MetadataView.as_view()),
    path(f"{PROJECT}/", include(items.urls)),
    path(f"{PROJECT}/definition-previews", definitions.DefinitionPreviewView.as_view()),
    path(f"{PROJECT}/row-previews", definitions.RowsView.as_view()),
    path(f"{PROJECT}/imports", definitions.ImportsView.as_view()),
    path(f"{PROJECT}/definitions/<str:name>/schemas", definitions.SchemasView.as_view()),
    path(f"{PROJECT}/definitions/<str:name>/fields", definitions.FieldsView.as_view()),
    path(f"{PROJECT}/definitions/<str:name>/compare", definitions.CompareView.as_view()),
    path(f"{PROJECT}/definitions/<str:name>/update", definitions.UpdateView.as_view()),
    path(f"{PROJECT}/services/<str:name>/openapi", definitions.ExportView.as_view()),
    path(f"{PROJECT}/services/<str:name>/stand-in", StandInView.as_view()),
    path(f"{PROJECT}/services/<str:name>/preparation", preparation.PreparationView.as_view()),
    path(f"{PROJECT}/credentials/<str:name>/secrets", credentials.SecretsView.as_view()),
    path(f"{PROJECT}/credentials/<str:name>/origins", credentials.CredentialOriginsView.as_view()),
    path(f"{PROJECT}/credentials/<str:name>/secrets/second", credentials.SecondSecretsView.as_view()),
    path(f"{PROJECT}/connections/<str:name>/check", connections.CheckView.as_view()),
    path(f"{PROJECT}/connections/<str:name>/meter", connections.MeterView.as_view()),
    path(f"{PROJECT}/connections/<str:name>/wait", connections.WaitView.as_view()),
    path(f"{PROJECT}/connections/<str:name>/sign-in", connections.SignInView.as_view()),
    path(f"{PROJECT}/connections/<str:name>/effective", connections.EffectiveView.as_view()),
    path(f"{PROJECT}/pastes", describing.PasteView.as_view()),
    path(f"{PROJECT}/patterns", describing.PatternView.as_view()),
    path(f"{PROJECT}/operations/<str:name>/copy", feeds.CopyView.as_view()),
    path(f"{PROJECT}/operation-forms", describing.OperationFormsView.as_view()),
    path(f"{PROJECT}/body-choices", describing.BodyChoiceView.as_view()),
    path(f"{PROJECT}/addresses", describing.AddressView.as_view()),
    path(f"{PROJECT}/requests", trials.RequestView.as_view()),
    path(f"{PROJECT}/trials", trials.TrialsView.as_view()),
    path(f"{PROJECT}/trials/keep", trials.KeepTrialView.as_view()),
    path(f"{PROJECT}/bodies/<uuid:body_id>/tree", bodies.TreeView.as_view()),
    path(f"{PROJECT}/bodies/<uuid:body_id>/places", bodies.PlacesView.as_view()),
    path(f"{PROJECT}/bodies/<uuid:body_id>/text", bodies.TextView.as_view()),
    path(f"{PROJECT}/bodies/<uuid:body_id>/content", bodies.ContentView.as_view()),
    path(f"{PROJECT}/outlines", mappings.OutlineView.as_view()),
    path(f"{PROJECT}/comparisons", mappings.ComparisonView.as_view()),
    path(f"{PROJECT}/structure-comparisons", mappings.StructureComparisonView.as_view()),
    path(f"{PROJECT}/proposals", mappings.ProposalView.as_view()),
    path(f"{PROJECT}/mapping-forms", mappings.MappingFormsView.as_view()),
    path(f"{PROJECT}/readings/tree", readings.TreeReading.as_view()),
    path(f"{PROJECT}/readings/outline", readings.OutlineReading.as_view()),
    path(f"{PROJECT}/readings/comparison", readings.ComparisonReading.as_view()),
    path(f"{PROJECT}/readings/structure-comparison", readings.StructureComparisonReading.as_view()),
    path(f"{PROJECT}/readings/proposal", readings.ProposalReading.as_view()),
    path(f"{PROJECT}/readings/records", readings.RecordsReading.as_view()),
    path(f"{PROJECT}/binding-proposals", live.BindingProposalView.as_view()),
    path(f"{PROJECT}/case-records", cases.RecordCaseView.as_view()),
    path(f"{PROJECT}/case-records/<str:name>", cases.RecordAgainView.as_view()),
    path(f"{PROJECT}/case-checks", cases.CheckCasesView.as_view()),
    path(f"{PROJECT}/previews", mappings.PreviewView.as_view()),
    path(f"{PROJECT}/feeds/<str:name>/runs", feeds.FeedRunsView.as_view()),
    path("api/v1/hooks/<slug:project>/<str:name>", webhooks.HookView.as_view()),
    path(f"{PROJECT}/webhooks/<str:name>/deliveries", webhooks.DeliveryViewSet.as_view({"get": "list"})),
    path(f"{PROJECT}/applications/<str:name>/offer", applications.OfferView.as_view()),
    path(f"{PROJECT}/applications/<str:name>/tokens", applications.ApplicationTokensView.as_view()),
    path(f"{PROJECT}/applications/<str:name>/tokens/<int:token_id>", applications.ApplicationTokenView.as_view()),
    path(f"{PROJECT}/applications/<str:name>/sessions", applications.UserSessionsView.as_view()),
    path(f"{PROJECT}/application-forms", applications.ApplicationFormsView.as_view()),
    path(f"{PROJECT}/application-usage", applications.UsageView.as_view()),
    path(f"{PROJECT}/webhook-forms", webhooks.WebhookFormsView.as_view()),
    path(f"{PROJECT}/subscription-forms", subscriptions.SubscriptionFormsView.as_view()),
    path(f"{PROJECT}/calendar", calendar.CalendarView.as_view()),
    path(f"{PROJECT}/drift", drift.DriftViewSet.as_view({"get": "list"})),
    path(f"{PROJECT}/drift/<int:drift_id>/adopt", drift.DriftViewSet.as_view({"post": "adopt"})),
    path(f"{PROJECT}/feed-forms", feeds.FeedFormsView.as_view()),
    path(f"{PROJECT}/flow-imports", flow_arazzo.ArazzoImportView.as_view()),
    path(f"{PROJECT}/flows/<str:name>/arazzo", flow_arazzo.ArazzoView.as_view()),
    path(f"{PROJECT}/flow-offers", flow_editing.FlowOffersView.as_view()),
    path(f"{PROJECT}/flow-fillings", flow_editing.FlowFillingView.as_view()),
    path(f"{PROJECT}/flows/<str:name>/obstacles", flows.FlowObstaclesView.as_view()),
    path(f"{PROJECT}/flows/<str:name>/runs", flows.FlowRunsView.as_view()),
    path(f"{PROJECT}/runs/<int:run_id>/flow", flows.FlowRunView.as_view()),
    path(f"{PROJECT}/runs/<int:run_id>/comparison", flows.FlowComparisonView.as_view()),
    path(f"{PROJECT}/runs/<int:run_id>/answers", flows.AnswerView.as_view()),
    path(f"{PROJECT}/runs/<int:run_id>/settlements", flows.SettleView.as_view()),
    path(f"{PROJECT}/runs/<int:run_id>/continuations", flows.GoingOnView.as_view()),
    path(f"{PROJECT}/runs/<int:run_id>/go-on", feeds.GoOnView.as_view()),
    path(f"{PROJECT}/runs/<int:run_id>/calls", runs.CallViewSet.as_view({"get": "list"})),
    path(f"{PROJECT}/runs/<int:run_id>/calls/<int:number>/fed", records.FedView.as_view()),
    path(f"{PROJECT}/runs/<int:run_id>/row-failures", runs.RowFailureViewSet.as_view({"get": "list"})),
    path(f"{PROJECT}/runs/<int:run_id>/planned-changes", planned.PlannedChangeViewSet.as_view({"get": "list"})),
    path(f"{PROJECT}/runs/<int:run_id>/rejects", runs.RejectViewSet.as_view({"get": "list"})),
    path(f"{PROJECT}/runs/<int:run_id>/reject-reasons", runs.RejectReasonsView.as_view()),
    path(f"{PROJECT}/environments/<str:environment>/records/<str:name>", live.RecordsView.as_view()),
    path(f"{PROJECT}/environments/<str:environment>/record-uses/<str:name>", live.RecordUsesView.as_view()),
    path(f"{PROJECT}/environments/<str:environment>/record-files/<str:name>", records.RecordFileView.as_view()),
    path(f"{PROJECT}/environments/<str:environment>/record-pictures/<str:name>/<path:key>", live.PictureView.as_view()),
    path(f"{PROJECT}/environments/<str:environment>/record-profiles/<str:name>", profiles.RecordProfileView.as_view()),
    path(f"{PROJECT}/environments/<str:environment>/record-views", records.RecordViewsView.as_view()),
    path(f"{PROJECT}/environments/<str:environment>/record-changes/<str:name>", records.ChangesView.as_view()),
    path(f"{PROJECT}/environments/<str:environment>/records/<str:name>/<path:key>", live.RecordView.as_view()),
    path("callback/<slug:project>/<str:environment>", callback),
    re_path(r"^(?:api|static|assets)(?:/[\s\S]*)?$", no_such_address),
    re_path(r"^[\s\S]*$", any_page),
]
handler500 = "rondine.server.api.problems.server_error"
handler400 = "rondine.server.api.problems.bad_request"
