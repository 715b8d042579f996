from django.contrib import admin, messages
from django.utils import timezone

from .models import Book, Member, RecorderToken


class Members(admin.TabularInline):
    model = Member
    extra = 0


@admin.register(Book)
class BookAdmin(admin.ModelAdmin):
    list_display = ("name", "slug", "created_at")
    prepopulated_fields = {"slug": ("name",)}
    inlines = (Members,)


@admin.register(RecorderToken)
class RecorderTokenAdmin(admin.ModelAdmin):
    list_display = ("label", "book", "created_at", "last_used", "revoked_at")
    fields = ("book", "label")
    actions = ("revoke",)

    def save_model(self, request, obj, form, change):
        if change:
            obj.save(update_fields=["book", "label"])
            return
        issued, text = RecorderToken.issue(obj.book, obj.label)
        obj.pk = issued.pk
        messages.warning(request, f"The token, shown this once: {text}")

    @admin.action(description="Revoke")
    def revoke(self, request, queryset):
        queryset.filter(revoked_at=None).update(revoked_at=timezone.now())
