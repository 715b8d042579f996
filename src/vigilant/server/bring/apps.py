from django.apps import AppConfig


class BringConfig(AppConfig):
    name = "vigilant.server.bring"
    label = "bring"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self):
        from . import tasks  # noqa: F401  (the handlers of its jobs)
