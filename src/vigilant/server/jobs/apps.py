from django.apps import AppConfig


class JobsConfig(AppConfig):
    name = "vigilant.server.jobs"
    label = "jobs"
    default_auto_field = "django.db.models.BigAutoField"
