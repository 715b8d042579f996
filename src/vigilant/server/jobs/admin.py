from django.contrib import admin

from .models import Job


@admin.register(Job)
class JobAdmin(admin.ModelAdmin):
    list_display = ("kind", "subject", "state", "progress", "message", "attempts", "created_at", "finished_at")
    list_filter = ("state", "kind")
    readonly_fields = tuple(f.name for f in Job._meta.fields)

    def has_add_permission(self, request):
        return False
