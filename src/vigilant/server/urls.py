"""All addresses: the API, the admin, the sign-in link, and the pages."""

from django.contrib import admin
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.template import TemplateDoesNotExist
from django.urls import path, re_path
from django.views.decorators.cache import never_cache
from django.views.generic import RedirectView
from drf_spectacular.views import SpectacularAPIView

from .backlog import api as backlog
from .backlog import limits_api as counter_limits
from .bench import api as bench
from .bench import events as bench_events
from .bench import rigs_api as bench_rigs
from .bench import visits_api as visits
from .books import api as books
from .books import book_api, sign_on
from .bring import api as bring
from .entries import api as entries
from .entries import planner_api as planner
from .evidence import api as evidence
from .evidence import stills_api as stills
from .evidence import watch_api as watch
from .field import api as field
from .field import intake_api as field_intake
from .goals import api as goals
from .inventory import api as inventory
from .jobs import api as jobs
from .jobs import events as job_events
from .laps import api as laps
from .ledger import api as ledger
from .ledger import person_api as person
from .ledger import purge_api as purge
from .ledger import thinning_api as thinning
from .rules import api as rules
from .runs import api as runs
from .runs import delivery_api as delivery
from .runs import stills_api as run_stills
from .scenarios import api as scenarios
from .seals import api as seals
from .statements import api as statements
from .trend import api as trend
from .upkeep import health, metrics
from .vary import api as vary


@never_cache
def page(request: HttpRequest) -> HttpResponse:
    """The one page, with the nonce its styles are let in by; the front end finds its way from the address."""
    try:
        return render(request, "index.html")
    except TemplateDoesNotExist:
        return HttpResponse("The front end is not built: run script/setup.", status=503, content_type="text/plain")


api = [
    # First: it is asked for more often than all others together.
    path("field/sessions/", field_intake.SessionsView.as_view()),
    path("health/", health.HealthView.as_view()),
    path("ready/", health.ReadyView.as_view()),
    path("schema/", SpectacularAPIView.as_view(), name="schema"),
    path("jobs/<uuid:job_id>/", jobs.JobView.as_view()),
    path("jobs/<uuid:job_id>/cancel/", jobs.CancelJobView.as_view()),
    path("jobs/<uuid:job_id>/events/", job_events.events),
    path("session/", books.SessionView.as_view()),
    path("session/kept/", person.KeptView.as_view()),
    path("session/happened/", person.HappenedView.as_view()),
    path("session/ways/", books.WaysView.as_view()),
    path("session/sign-in/", books.SignInView.as_view()),
    path("session/second-factor/", books.SecondFactorView.as_view()),
    path("session/second-factor/off/", books.SecondFactorOffView.as_view()),
    path("session/password/", books.PasswordView.as_view()),
    path("sessions/", books.SessionsView.as_view()),
    path("sessions/<str:handle>/", books.OneSessionView.as_view()),
    path("token/", book_api.OwnTokenView.as_view()),
    path("books/", book_api.BooksView.as_view()),
    path("books/<slug:book>/", book_api.BookOfView.as_view()),
    path("books/<slug:book>/members/", book_api.MembersView.as_view()),
    path("books/<slug:book>/members/<int:member>/", book_api.MemberView.as_view()),
    path("books/<slug:book>/members/<int:member>/link/", book_api.MemberLinkView.as_view()),
    path("books/<slug:book>/groups/", book_api.GroupsView.as_view()),
    path("books/<slug:book>/groups/<int:group>/", book_api.GroupView.as_view()),
    path("books/<slug:book>/tokens/", book_api.TokensView.as_view()),
    path("books/<slug:book>/tokens/<int:token>/", book_api.TokenView.as_view()),
    path("books/<slug:book>/tokens/<int:token>/sessions/", field.KeySessionsView.as_view()),
    path("books/<slug:book>/log/", book_api.LogView.as_view()),
    path("books/<slug:book>/standing/", ledger.StandingView.as_view()),
    path("books/<slug:book>/entries/", ledger.EntriesView.as_view()),
    path("books/<slug:book>/entries/<int:number>/", ledger.EntryView.as_view()),
    path("books/<slug:book>/entries/<int:number>/withdrawals/", ledger.WithdrawalsView.as_view()),
    path("books/<slug:book>/entries/<int:number>/purge/", purge.EntryPurgeView.as_view()),
    path("books/<slug:book>/runs/aside/", runs.AsideView.as_view()),
    path("books/<slug:book>/runs/purge/", purge.RunsPurgeView.as_view()),
    path("books/<slug:book>/thinning/", thinning.ThinningView.as_view()),
    path("books/<slug:book>/thinning/due/", thinning.ThinningDueView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/spread/", evidence.SpreadView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/runs/", evidence.RunsView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/watch/", watch.WatchView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/trials/", watch.TrialsView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/trials/<int:trial>/", watch.TrialView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/naive/", evidence.NaiveView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/course/", evidence.CourseView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/stutters/", evidence.StuttersView.as_view()),
    path("books/<slug:book>/backlog/", backlog.BacklogView.as_view()),
    path("books/<slug:book>/backlog/<int:key>/", backlog.IdeaView.as_view()),
    path("books/<slug:book>/inventories/", inventory.InventoriesView.as_view()),
    path("books/<slug:book>/inventories/<int:key>/", inventory.InventoryView.as_view()),
    path("books/<slug:book>/laps/", laps.LapsView.as_view()),
    path("books/<slug:book>/laps/<int:key>/", laps.LapSheetView.as_view()),
    path("books/<slug:book>/totals/", inventory.TotalsView.as_view()),
    path("books/<slug:book>/decision-table/", backlog.DecisionTableView.as_view()),
    path("books/<slug:book>/entries/<int:number>/next/", backlog.WhatNextView.as_view()),
    path("books/<slug:book>/entries/<int:number>/budget/", backlog.BudgetView.as_view()),
    path("books/<slug:book>/entries/<int:number>/counter-limits/", counter_limits.CounterLimitsView.as_view()),
    path("books/<slug:book>/goals/<int:goal>/close/", backlog.GoalCloseView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/work/", evidence.WorkView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/counters/", evidence.CountersView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/part/", evidence.PartView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/late/", evidence.LateView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/goes-with/", evidence.GoesWithView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/if-free/", evidence.IfFreeView.as_view()),
    path("books/<slug:book>/entries/<int:number>/hand-overs/", statements.HandOversView.as_view()),
    path("books/<slug:book>/seal/", seals.SealView.as_view()),
    path("books/<slug:book>/entries/<int:number>/bundle/", statements.BundleView.as_view()),
    path("signing-key/", statements.SigningKeyView.as_view()),
    path("books/<slug:book>/statement/", statements.StatementView.as_view()),
    path("books/<slug:book>/statement/links/", statements.LinksView.as_view()),
    path("books/<slug:book>/statement/links/<int:link>/", statements.LinkView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/stills/", stills.StillsView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/stills/difference/", stills.DifferenceView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/stills/rulings/", stills.RulingsView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/stills/masks/", stills.MasksView.as_view()),
    path("books/<slug:book>/entries/<int:number>/evidence/stills/masks/<int:mask>/", stills.MaskView.as_view()),
    path("books/<slug:book>/entries/taken-out/", ledger.TakenOutView.as_view()),
    path("books/<slug:book>/labels/", ledger.LabelsView.as_view()),
    path("books/<slug:book>/entries/<int:number>/filing/", ledger.FilingView.as_view()),
    path("books/<slug:book>/entries/<int:number>/decisions/", ledger.DecisionsView.as_view()),
    path("books/<slug:book>/entries/<int:number>/claim/", ledger.ClaimView.as_view()),
    path("books/<slug:book>/comparisons/", entries.ComparisonsView.as_view()),
    path("books/<slug:book>/arms/", entries.ArmsView.as_view()),
    path("books/<slug:book>/arms/<uuid:job_id>/", entries.ArmsResultView.as_view()),
    path("books/<slug:book>/chain/", entries.ChainView.as_view()),
    path("books/<slug:book>/files/", bring.FilesView.as_view()),
    path("books/<slug:book>/files/<uuid:file_id>/", bring.FileView.as_view()),
    path("books/<slug:book>/files/<uuid:file_id>/pieces/<int:number>/", bring.PieceView.as_view()),
    path("books/<slug:book>/files/reading/", bring.AskedView.as_view()),
    path("books/<slug:book>/files/<uuid:file_id>/content/", bring.ContentView.as_view()),
    path("books/<slug:book>/bring/", bring.BringView.as_view()),
    path("books/<slug:book>/readings/", bring.ReadingsView.as_view()),
    path("figures/", scenarios.FiguresView.as_view()),
    path("books/<slug:book>/scenarios/", scenarios.ScenariosView.as_view()),
    path("books/<slug:book>/scenarios/<int:scenario>/", scenarios.ScenarioView.as_view()),
    path("books/<slug:book>/scenarios/<int:scenario>/planner/", planner.PlannerView.as_view()),
    path("books/<slug:book>/scenarios/<int:scenario>/goals/", goals.GoalsView.as_view()),
    path("books/<slug:book>/goals/<int:goal>/moves/", goals.GoalMovesView.as_view()),
    path("books/<slug:book>/recordings/", bench.RecordingsOfBookView.as_view()),
    path("books/<slug:book>/standby/", bench.StandbysView.as_view()),
    path("books/<slug:book>/rigs/", bench_rigs.RigsView.as_view()),
    path("books/<slug:book>/rigs/reserved/", bench_rigs.ReservedTimesView.as_view()),
    path("books/<slug:book>/rigs/reserved/<int:reserved>/", bench_rigs.ReservedTimeView.as_view()),
    path("books/<slug:book>/subjects/", bench.SubjectsView.as_view()),
    path("standby/", bench.StandbyView.as_view()),
    path("recordings/planned/", bench.PlannedView.as_view()),
    path("recordings/<uuid:recording_id>/", bench.RecordingView.as_view()),
    path("recordings/<uuid:recording_id>/plan/", bench.PlanView.as_view()),
    path("recordings/<uuid:recording_id>/control/", bench.ControlView.as_view()),
    path("recordings/<uuid:recording_id>/marks/", bench.MarksView.as_view()),
    path("recordings/<uuid:recording_id>/switched/", vary.SwitchedView.as_view()),
    path("books/<slug:book>/matrices/", vary.MatricesView.as_view()),
    path("recordings/<uuid:recording_id>/matrix/", vary.MatrixView.as_view()),
    path("recordings/<uuid:recording_id>/cores/", vary.CoresView.as_view()),
    path("recordings/<uuid:recording_id>/knob/", vary.KnobView.as_view()),
    path("recordings/<uuid:recording_id>/ramp/", vary.RampView.as_view()),
    path("recordings/<uuid:recording_id>/untangled/", vary.UntangledView.as_view()),
    path("recordings/<uuid:recording_id>/mixture/", vary.MixtureView.as_view()),
    path("recordings/<uuid:recording_id>/trade/", vary.TradeView.as_view()),
    path("recordings/<uuid:recording_id>/hunt/", vary.HuntView.as_view()),
    path("recordings/<uuid:recording_id>/live/", bench.ReportView.as_view()),
    path("recordings/<uuid:recording_id>/refuse/", bench.RefuseView.as_view()),
    path("recordings/<uuid:recording_id>/events/", bench_events.events),
    path(f"{visits.VISITED}/<uuid:run_id>/begins/", visits.BeginsView.as_view()),
    path(f"{visits.VISITED}/<uuid:run_id>/head/", visits.OpenedView.as_view()),
    path(f"{visits.VISITED}/<uuid:run_id>/lines/<int:number>/", visits.LinesView.as_view()),
    path(f"{visits.VISITED}/<uuid:run_id>/end/", visits.EndedView.as_view()),
    path("books/<slug:book>/trend/", trend.LinesView.as_view()),
    path("books/<slug:book>/trend/<int:scenario>/<int:rig>/", trend.LineView.as_view()),
    path("books/<slug:book>/trend/<int:scenario>/<int:rig>/taken-out/", trend.LineTakenOutView.as_view()),
    path("books/<slug:book>/builds/", trend.OrderView.as_view()),
    path("books/<slug:book>/builds/move/", trend.MoveBuildView.as_view()),
    path("books/<slug:book>/scenarios/<int:scenario>/following/", trend.FollowingView.as_view()),
    path("books/<slug:book>/alarms/<int:alarm>/", trend.AlarmView.as_view()),
    path("books/<slug:book>/alarms/<int:alarm>/explained/", trend.ExplainedView.as_view()),
    path("books/<slug:book>/alarms/<int:alarm>/entry/", trend.AlarmEntryView.as_view()),
    path("books/<slug:book>/rules/", rules.RulesView.as_view()),
    path("books/<slug:book>/rules/<int:rule>/", rules.RuleView.as_view()),
    path("books/<slug:book>/rules/<int:rule>/tests/", rules.RuleTestsView.as_view()),
    path("books/<slug:book>/field/", field.MinutesView.as_view()),
    path("books/<slug:book>/field/taken-out/", field.FieldTakenOutView.as_view()),
    path("books/<slug:book>/field/moves/", field.MovesView.as_view()),
    path("books/<slug:book>/field/ready/", field.ReadyView.as_view()),
    path("books/<slug:book>/field/borrow/", field.BorrowView.as_view()),
    path("books/<slug:book>/field/classes/<int:key>/", field.ClassView.as_view()),
    path("books/<slug:book>/field/models/<int:key>/", field.ModelView.as_view()),
    path("books/<slug:book>/field/settings/", field.FieldSettingsView.as_view()),
    path("field/otlp/v1/metrics", field_intake.OtlpView.as_view()),
    path("recordings/<uuid:recording_id>/line/", trend.ReadLineView.as_view()),
    path("recordings/<uuid:recording_id>/gate/", trend.GateView.as_view()),
    path("recordings/", delivery.RecordingsView.as_view()),
    path("recordings/<uuid:recording_id>/complete/", entries.CompleteRecordingView.as_view()),
    path("runs/", runs.RunListView.as_view()),
    path("runs/<uuid:run_id>/", runs.RunView.as_view()),
    path("runs/<uuid:run_id>/batches/<int:number>/", delivery.BatchView.as_view()),
    path("runs/<uuid:run_id>/complete/", delivery.CompleteRunView.as_view()),
    path("runs/<uuid:run_id>/stills/", run_stills.StillsOfRunView.as_view()),
    path("runs/<uuid:run_id>/stills/<str:name>/", run_stills.StillView.as_view()),
    path("runs/<uuid:run_id>/trace/", runs.TraceView.as_view()),
    path("runs/<uuid:run_id>/parts/", runs.PartsView.as_view()),
    path("runs/<uuid:run_id>/work/", runs.RunWorkView.as_view()),
    path("runs/<uuid:run_id>/frames/<int:number>/", runs.FrameView.as_view()),
    path("runs/<uuid:run_id>/frames/", runs.DownloadView.as_view()),
]

handler500 = "vigilant.server.problems.server_error"

urlpatterns = [
    *[path(f"api/{p.pattern}", p.callback, name=p.name) for p in api],
    path("metrics", metrics.page),
    # One way in, which asks for everything that is asked for.
    path("admin/login/", RedirectView.as_view(url="/")),
    path("admin/", admin.site.urls),
    path("shown/<str:secret>", statements.ShownView.as_view()),
    path("sign-in/<str:secret>", books.sign_in_by_link),
    path("sign-on/", sign_on.StartView.as_view()),
    path("sign-on/back/", sign_on.BackView.as_view(), name="sign-on-back"),
    path("visit/", visits.VisitView.as_view()),
    path("visit/<str:code>", visits.VisitView.as_view()),
    re_path(r"^(?!api/|metrics$|static/|assets/|shown/|visit/).*$", page),
]
