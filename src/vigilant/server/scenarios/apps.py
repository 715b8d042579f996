from django.apps import AppConfig


class ScenariosConfig(AppConfig):
    name = "vigilant.server.scenarios"
    label = "scenarios"
    default_auto_field = "django.db.models.BigAutoField"
