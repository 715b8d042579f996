from django.apps import AppConfig


class EvidenceConfig(AppConfig):
    name = "vigilant.server.evidence"
    label = "evidence"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self):
        from . import tasks  # noqa: F401  (the handlers of its jobs)
