from django.apps import AppConfig


class TrendConfig(AppConfig):
    name = "vigilant.server.trend"
    label = "trend"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self):
        from . import tasks  # noqa: F401  (the handlers of its jobs)
