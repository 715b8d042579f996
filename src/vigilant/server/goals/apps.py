from django.apps import AppConfig


class GoalsConfig(AppConfig):
    name = "vigilant.server.goals"
    label = "goals"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self):
        from . import sealing, tasks  # noqa: F401  (what is sealed, and the handlers of its jobs)
