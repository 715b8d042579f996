from django.apps import AppConfig


class FieldConfig(AppConfig):
    name = "vigilant.server.field"
    label = "field"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self):
        from . import tasks  # noqa: F401  (the handlers of its jobs, and what it looks for now and then)
