from django.apps import AppConfig


class StatementsConfig(AppConfig):
    name = "vigilant.server.statements"
    label = "statements"
    default_auto_field = "django.db.models.BigAutoField"
