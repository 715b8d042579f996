from django.apps import AppConfig


class LedgerConfig(AppConfig):
    name = "vigilant.server.ledger"
    label = "ledger"
