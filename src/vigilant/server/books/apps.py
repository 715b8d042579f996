from django.apps import AppConfig


class BooksConfig(AppConfig):
    name = "vigilant.server.books"
    label = "books"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self):
        from . import log  # noqa: F401  (its receivers)
