from django.apps import AppConfig


class InventoryConfig(AppConfig):
    name = "vigilant.server.inventory"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self):
        from vigilant.server.runs.figures import run_stored

        from .services import take_from_run

        run_stored.connect(lambda run, read, **_: take_from_run(run, read), weak=False, dispatch_uid="inventory")
