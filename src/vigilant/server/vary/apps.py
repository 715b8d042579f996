from django.apps import AppConfig


class VaryConfig(AppConfig):
    name = "vigilant.server.vary"
