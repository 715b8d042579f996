from django.contrib import admin

from .models import Standby

admin.site.register(Standby)
