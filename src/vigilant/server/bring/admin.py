from django.contrib import admin

from .models import BroughtFile, SavedReading


@admin.register(BroughtFile)
class BroughtFileAdmin(admin.ModelAdmin):
    list_display = ("name", "book", "state", "size", "created_at")
    list_filter = ("book", "state")
    readonly_fields = ("look", "asked", "problem")


admin.site.register(SavedReading)
