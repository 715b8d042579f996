from django.contrib import admin

from .models import Build, Conditions, Rig, Scenario, ScenarioVersion

admin.site.register([Build, Conditions, Rig, Scenario])


@admin.register(ScenarioVersion)
class ScenarioVersionAdmin(admin.ModelAdmin):
    list_display = ("scenario", "number", "target_fps", "created_at")

    def has_change_permission(self, request, obj=None):
        return False
