from django.apps import AppConfig


class LedgerConfig(AppConfig):
    name = "vigilant.server.ledger"
    label = "ledger"

    def ready(self):
        from . import tasks  # noqa: F401  (the handlers of its jobs)
