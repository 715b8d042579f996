from django.apps import AppConfig


class UpkeepConfig(AppConfig):
    name = "vigilant.server.upkeep"
    label = "upkeep"
