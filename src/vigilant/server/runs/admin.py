from django.contrib import admin

from .models import Recording, Run


@admin.register(Run)
class RunAdmin(admin.ModelAdmin):
    list_display = ("id", "book", "scenario_version", "rig", "state", "outcome", "frames", "started_at")
    list_filter = ("book", "state", "outcome")
    readonly_fields = ("head", "noted", "marks")


admin.site.register(Recording)
