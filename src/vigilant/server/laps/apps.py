from django.apps import AppConfig


class LapsConfig(AppConfig):
    name = "vigilant.server.laps"
    default_auto_field = "django.db.models.BigAutoField"
