from django.apps import AppConfig


class VaryConfig(AppConfig):
    name = "vigilant.server.vary"
    default_auto_field = "django.db.models.BigAutoField"
