"""Settings: from the environment, with safe defaults."""

import os
from pathlib import Path

from django.core.exceptions import ImproperlyConfigured

ROOT = Path(__file__).resolve().parents[3]
WEB = Path(os.environ.get("VIGILANT_WEB", ROOT / "web" / "dist"))

DEBUG = False
PRODUCTION = os.environ.get("VIGILANT_PRODUCTION") == "1"
SECRET_KEY = os.environ.get("VIGILANT_SECRET_KEY", "")
if not SECRET_KEY:
    if PRODUCTION:
        raise ImproperlyConfigured("VIGILANT_SECRET_KEY must be set in production")
    SECRET_KEY = "for tests and schema generation only; the launcher sets a real one"
#: Half of the sign-in link; empty means that there is no link.
SIGN_IN_SECRET = os.environ.get("VIGILANT_SIGN_IN_SECRET", "")

ALLOWED_HOSTS = os.environ.get("VIGILANT_HOSTS", "127.0.0.1,localhost,testserver").split(",")
ROOT_URLCONF = "vigilant.server.urls"
ASGI_APPLICATION = "vigilant.server.asgi.application"
INSTALLED_APPS = [
    "django.contrib.admin",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "vigilant.server.books",
    "vigilant.server.scenarios",
    "vigilant.server.runs",
    "vigilant.server.entries",
    "vigilant.server.bench",
    "vigilant.server.goals",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ]
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "NAME": os.environ.get("VIGILANT_DB_NAME", "vigilant"),
        "USER": os.environ.get("VIGILANT_DB_USER", "vigilant"),
        "PASSWORD": os.environ.get("VIGILANT_DB_PASSWORD", ""),
        "HOST": os.environ.get("VIGILANT_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("VIGILANT_DB_PORT", "3306"),
        "CONN_MAX_AGE": 0,
        "OPTIONS": {
            "charset": "utf8mb4",
            "collation": "utf8mb4_bin",
            "isolation_level": "read committed",
            "init_command": "SET sql_mode='STRICT_TRANS_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE'",
        },
        "TEST": {"CHARSET": "utf8mb4", "COLLATION": "utf8mb4_bin"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = PRODUCTION
DATA_UPLOAD_MAX_MEMORY_SIZE = 8 * 1024 * 1024
USE_TZ = True
TIME_ZONE = "UTC"
STATIC_URL = "/static/"
WHITENOISE_USE_FINDERS = True
WHITENOISE_ROOT = WEB if WEB.is_dir() else None
LOGIN_URL = "/sign-in"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "{asctime} {levelname} {name} {message}", "style": "{"}},
    "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["stderr"], "level": "WARNING"},
}
REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [
        "vigilant.server.auth.RecorderTokenAuthentication",
        "rest_framework.authentication.SessionAuthentication",
    ],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["vigilant.server.fields.StrictJSONParser"],
    "DEFAULT_PAGINATION_CLASS": "vigilant.server.paging.Pages",
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "vigilant.server.problems.handle",
    "TEST_REQUEST_DEFAULT_FORMAT": "json",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Vigilant Ledger",
    "VERSION": "1",
    "COMPONENT_SPLIT_REQUEST": True,
    "SERVE_INCLUDE_SCHEMA": False,
    "SCHEMA_PATH_PREFIX": "/api",
    "ENUM_NAME_OVERRIDES": {
        "VerdictEnum": "vigilant.server.entries.models.Comparison.Verdict",
        "ChoiceEnum": "vigilant.server.entries.models.Decision.Choice",
        "ExpectationEnum": "vigilant.server.entries.models.Decision.Expectation",
        "RunStateEnum": "vigilant.server.runs.models.Run.State",
        "OutcomeEnum": "vigilant.server.runs.models.Outcome",
        "RecordingStateEnum": "vigilant.server.runs.models.Recording.State",
        "WishEnum": "vigilant.server.runs.models.Recording.Wish",
        "ArmEnum": "vigilant.server.runs.models.ArmLabel",
    },
}
