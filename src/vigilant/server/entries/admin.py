from django.contrib import admin

from .models import Comparison, Decision, Entry


class Decisions(admin.TabularInline):
    model = Decision
    extra = 0


@admin.register(Entry)
class EntryAdmin(admin.ModelAdmin):
    list_display = ("number", "title", "book", "recorded_at")
    list_filter = ("book",)
    inlines = (Decisions,)


@admin.register(Comparison)
class ComparisonAdmin(admin.ModelAdmin):
    list_display = ("id", "verdict", "scenario_version", "rig", "created_at")

    def has_change_permission(self, request, obj=None):
        return False
