from django.apps import AppConfig


class JobsConfig(AppConfig):
    name = "vigilant.server.jobs"
    label = "jobs"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self):
        from . import tells  # noqa: F401  (what monitoring is told of them)
