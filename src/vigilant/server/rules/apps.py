from django.apps import AppConfig


class RulesConfig(AppConfig):
    name = "vigilant.server.rules"
    label = "rules"
    default_auto_field = "django.db.models.BigAutoField"
