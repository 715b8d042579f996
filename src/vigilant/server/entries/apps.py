from django.apps import AppConfig


class EntriesConfig(AppConfig):
    name = "vigilant.server.entries"
    label = "entries"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self):
        from vigilant.server.runs.ingest import run_opened

        from . import sealing, tasks  # noqa: F401  (what is sealed, and the handlers of its jobs)
        from .deciding import lock_expectation

        run_opened.connect(lambda recording, **_: lock_expectation(recording), weak=False, dispatch_uid="lock")
