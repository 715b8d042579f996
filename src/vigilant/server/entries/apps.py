from django.apps import AppConfig


class EntriesConfig(AppConfig):
    name = "vigilant.server.entries"
    label = "entries"
    default_auto_field = "django.db.models.BigAutoField"
