from django.apps import AppConfig


class SealsConfig(AppConfig):
    name = "vigilant.server.seals"
    label = "seals"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self):
        from . import tasks  # noqa: F401  (the handler of its job)
