from django.contrib import admin, messages
from django.utils import timezone

from .models import Book, LogLine, Member, PersonSession, RecorderToken, SignInLink


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
    list_display = ("label", "book", "scope", "created_at", "expires_at", "last_used", "revoked_at")
    fields = ("book", "label", "scope")
    actions = ("revoke",)

    def save_model(self, request, obj, form, change):
        if change:
            obj.save(update_fields=["label"])
            return
        issued, text = RecorderToken.issue(obj.book, obj.label, obj.scope, by=request.user)
        obj.pk = issued.pk
        messages.warning(request, f"The token, shown this once: {text}")

    def get_readonly_fields(self, request, obj=None):
        return ("book", "scope") if obj else ()

    @admin.action(description="Revoke")
    def revoke(self, request, queryset):
        for token in queryset.filter(revoked_at=None):
            token.revoke(by=request.user)


@admin.register(SignInLink)
class SignInLinkAdmin(admin.ModelAdmin):
    list_display = ("user", "created_at", "expires_at", "last_used", "revoked_at")
    actions = ("revoke",)

    def has_add_permission(self, request):
        return False

    def has_change_permission(self, request, obj=None):
        return obj is None and super().has_change_permission(request)

    @admin.action(description="Revoke")
    def revoke(self, request, queryset):
        for link in queryset.filter(revoked_at=None):
            link.revoked_at = timezone.now()
            link.save(update_fields=["revoked_at"])
            LogLine.write("link revoked", str(link), by=request.user)


@admin.register(LogLine)
class LogLineAdmin(admin.ModelAdmin):
    list_display = ("at", "what", "text", "by_name", "book", "address")
    list_filter = ("what", "book")
    search_fields = ("text", "by_name")

    def has_add_permission(self, request):
        return False

    def has_change_permission(self, request, obj=None):
        return False

    def has_delete_permission(self, request, obj=None):
        return False


@admin.register(PersonSession)
class SessionAdmin(admin.ModelAdmin):
    """Who is signed in where; deleting a session signs it out."""

    list_display = ("handle", "user", "address", "since", "expire_date")
    fields = ("expire_date",)
    readonly_fields = fields

    def has_add_permission(self, request):
        return False
