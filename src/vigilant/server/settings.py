"""Settings: from the environment, with safe defaults."""

import os
from logging import INFO
from typing import NamedTuple
from urllib.parse import urlsplit

from csp.constants import NONCE, NONE, SELF
from django.core.exceptions import ImproperlyConfigured
from kombu import Exchange, Queue

from vigilant.server import configuration
from vigilant.server.upkeep import logs


class SignOn(NamedTuple):
    issuer: str
    name: str
    groups: str


try:
    told = configuration.read()
except configuration.ConfigurationRefused as refused:
    raise ImproperlyConfigured(str(refused)) from None

if told.metrics:  # before anything counts: the client looks for it when it is loaded
    told.metrics.mkdir(parents=True, exist_ok=True)
    os.environ["PROMETHEUS_MULTIPROC_DIR"] = str(told.metrics)

WEB, VAR = told.web, told.var
BACKUPS, BACKUP_KEY = told.backups, told.backup_key
METRICS, METRICS_TOKEN = told.metrics, told.metrics_token.get_secret_value()
DEBUG = False
PRODUCTION = told.production
SECRET_KEY = told.secret_key.get_secret_value()
#: The file of the key that signs bundles; on several hosts the same.
SIGNING_KEY = str(told.signing_key)
ALLOWED_HOSTS = told.hosts
#: Requests that a web process works on at a time.
THREADS = told.threads
ROOT_URLCONF = "vigilant.server.urls"
ASGI_APPLICATION = "vigilant.server.asgi.application"
INSTALLED_APPS = [
    "django.contrib.admin",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "django_filters",
    "axes",
    "django_otp",
    "django_otp.plugins.otp_totp",
    "django_otp.plugins.otp_static",
    "corsheaders",
    "csp",
    "django_structlog",
    "vigilant.server.upkeep",
    "vigilant.server.books",
    "vigilant.server.jobs",
    "vigilant.server.seals",
    "vigilant.server.scenarios",
    "vigilant.server.runs",
    "vigilant.server.entries",
    "vigilant.server.bench",
    "vigilant.server.goals",
    "vigilant.server.evidence",
    "vigilant.server.ledger",
    "vigilant.server.statements",
    "vigilant.server.bring",
    "vigilant.server.backlog",
    "vigilant.server.vary",
    "vigilant.server.inventory",
    "vigilant.server.laps",
    "vigilant.server.trend",
    "vigilant.server.rules",
    "vigilant.server.field",
]
MIDDLEWARE = [
    "vigilant.server.upkeep.request_ids.RequestIds",
    "vigilant.server.upkeep.metrics.Counted",
    "django.middleware.security.SecurityMiddleware",
    "corsheaders.middleware.CorsMiddleware",
    "csp.middleware.CSPMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "vigilant.server.unkept.UnkeptMiddleware",  # files that whitenoise answers are kept, and do not come here
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "vigilant.server.idle.IdleSessionMiddleware",
    "vigilant.server.books.wanted.SecondFactorWanted",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesBackend",
    "django.contrib.auth.backends.ModelBackend",
    "vigilant.server.books.sign_on.SignOnBackend",
]
#: Wanted of everybody with an account of ours.
SECOND_FACTOR = told.second_factor
#: The provider of accounts, what it is called, and its claim of groups.
SIGN_ON = SignOn(told.sign_on_issuer, told.sign_on_name, told.sign_on_groups)
OIDC_RP_CLIENT_ID, OIDC_RP_CLIENT_SECRET = told.sign_on_client, told.sign_on_secret.get_secret_value()
OIDC_RP_SCOPES = told.sign_on_scopes
OIDC_USE_PKCE = True
OIDC_TIMEOUT = 5
OIDC_AUTHENTICATION_CALLBACK_URL = "sign-on-back"
_RULES = "django.contrib.auth.password_validation"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"{_RULES}.UserAttributeSimilarityValidator"},
    {"NAME": f"{_RULES}.MinimumLengthValidator", "OPTIONS": {"min_length": 12}},
    {"NAME": f"{_RULES}.CommonPasswordValidator"},
    {"NAME": f"{_RULES}.NumericPasswordValidator"},
]
# Ten tries that fail, by name and address, shut that door for a quarter of an hour.
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_VERBOSE = False
AXES_IPWARE_PROXY_COUNT = told.proxies
AXES_LOCKOUT_CALLABLE = "vigilant.server.problems.locked_out"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [WEB],
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
        "NAME": told.db_name,
        "USER": told.db_user,
        "PASSWORD": told.db_password.get_secret_value(),
        "HOST": told.db_host,
        "PORT": str(told.db_port),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {
            "charset": "utf8mb4",
            "collation": "utf8mb4_bin",
            "isolation_level": "read committed",
            "init_command": "SET sql_mode='STRICT_TRANS_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE'"
            + (", wsrep_sync_wait=1" if told.db_wait else ""),
        },
        "TEST": {"CHARSET": "utf8mb4", "COLLATION": "utf8mb4_bin"},
    }
}
# Jobs go through Redis to the workers; without one a process does them at once, within the request.
REDIS, REDIS_MASTER = told.redis, told.redis_master
JOBS_INLINE = not REDIS
CELERY_BROKER_URL = REDIS
#: Work that somebody waits for, and work that takes long: neither waits for the other.
QUEUES = ("quick", "heavy")
CELERY_TASK_QUEUES = [Queue(name, Exchange(name), routing_key=name) for name in QUEUES]
CELERY_TASK_DEFAULT_QUEUE = QUEUES[0]
CELERY_TASK_ACKS_LATE = CELERY_TASK_REJECT_ON_WORKER_LOST = True
CELERY_TASK_IGNORE_RESULT = True
CELERY_WORKER_PREFETCH_MULTIPLIER = 1
CELERY_WORKER_HIJACK_ROOT_LOGGER = False
CELERY_BROKER_CONNECTION_RETRY_ON_STARTUP = True
CELERY_TASK_PUBLISH_RETRY_POLICY = {"max_retries": 2, "interval_start": 0.1, "interval_step": 0.2, "interval_max": 0.5}
# A task longer than the timeout is handed out again; the job's lease makes the second give way.
CELERY_BROKER_TRANSPORT_OPTIONS = {
    "visibility_timeout": 3600,
    "unacked_restore_interval": 2,
    "unacked_restore_throttle": 1,
    "socket_connect_timeout": 2,
    "socket_timeout": 5,
    "health_check_interval": 5,
    "master_name": REDIS_MASTER,  # for sentinels
    "sentinel_kwargs": {"password": urlsplit(REDIS.split(";")[0]).password},
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
SESSION_ENGINE = "vigilant.server.books.sessions"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = PRODUCTION
#: A session ends when nothing was asked for so long; it is noted at most so often.
SESSION_COOKIE_AGE, SESSION_NOTED_S = 8 * 3600, 300
#: And so many hours after signing in, whatever was asked for.
SESSION_LONGEST_H = 12
SESSION_EXPIRE_AT_BROWSER_CLOSE = False
# A token is shown once by a message: messages are kept with the session, never in a cookie.
MESSAGE_STORAGE = "django.contrib.messages.storage.session.SessionStorage"
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
if PRODUCTION:
    # TLS ends at the reverse proxy, which sets this header and drops the client's own.
    SESSION_COOKIE_NAME, CSRF_COOKIE_NAME = "__Host-sessionid", "__Host-csrftoken"
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SECURE_SSL_REDIRECT = True
    SECURE_REDIRECT_EXEMPT = [r"^api/(health|ready)/$", r"^metrics$"]  # asked on this machine, behind the proxy
    SECURE_HSTS_SECONDS = 365 * 24 * 3600
    CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS]
# Nothing inline but the styles that components insert, which carry the nonce of their page.
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF],
        "style-src": [SELF, NONCE],
        "img-src": [SELF, "data:"],
        "font-src": [SELF, "data:"],
        "connect-src": [SELF],
        "object-src": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}
# Other origins may speak to the addresses of their own run alone, as bench/visits_api.py finds, and send sessions of the field; nothing of a person's goes
# with it. A page of the open net may reach a server on the bench's own network.
CORS_URLS_REGEX = r"^/api/(visited|field/sessions)/"
CORS_ALLOW_METHODS = ("POST", "PUT", "OPTIONS")
CORS_ALLOW_HEADERS = ("authorization", "content-type")
CORS_ALLOW_PRIVATE_NETWORK = True
CORS_PREFLIGHT_MAX_AGE = 600
DATA_UPLOAD_MAX_MEMORY_SIZE = 8 * 1024 * 1024
USE_TZ = True
TIME_ZONE = "UTC"
STATIC_URL = "/static/"
WHITENOISE_USE_FINDERS = True
WHITENOISE_ALLOW_ALL_ORIGINS = False
#: Built assets carry their digest in their name: they are good for ever.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[0-9a-zA-Z_-]{8}\.[a-z0-9]+$"
WHITENOISE_ROOT = WEB if WEB.is_dir() else None
#: What an app calls the account.
OTP_TOTP_ISSUER = "Vigilant Ledger"
LOGIN_URL, LOGIN_REDIRECT_URL = "/sign-in", "/"
LOGGING = logs.configuration(told.log, told.log_level)
# The address of a device is nobody's business, and the log of requests is for who looks for one.
DJANGO_STRUCTLOG_CELERY_ENABLED = True
DJANGO_STRUCTLOG_TRUST_UPSTREAM_REQUEST_ID = True  # of a form that upkeep.request_ids lets through
DJANGO_STRUCTLOG_IP_LOGGING_ENABLED = False
DJANGO_STRUCTLOG_STATUS_4XX_LOG_LEVEL = INFO
REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [
        "vigilant.server.auth.RecorderTokenAuthentication",
        "rest_framework.authentication.SessionAuthentication",
    ],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["vigilant.server.rendering.QuickJSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["vigilant.server.fields.StrictJSONParser"],
    "DEFAULT_FILTER_BACKENDS": ["django_filters.rest_framework.DjangoFilterBackend"],
    "DEFAULT_PAGINATION_CLASS": "vigilant.server.paging.Pages",
    # What costs, a person or a token a minute (each web process counts for itself).
    "DEFAULT_THROTTLE_RATES": {
        "arms": "30/min",
        "claims": "120/min",
        "planning": "120/min",
        "passwords": "10/min",
        "leaves": "240/min",
        "statements": "60/min",
        "links": "30/min",
    },
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "vigilant.server.problems.handle",
    "TEST_REQUEST_DEFAULT_FORMAT": "json",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Vigilant Ledger",
    "VERSION": "1",
    # The plan's tables are described by JSON Schema 2020, which OpenAPI takes from 3.1 on.
    "OAS_VERSION": "3.1.1",
    "COMPONENT_SPLIT_REQUEST": True,
    "SERVE_INCLUDE_SCHEMA": False,
    "SCHEMA_PATH_PREFIX": "/api",
    "POSTPROCESSING_HOOKS": ["drf_spectacular.hooks.postprocess_schema_enums", "vigilant.server.tables.describe"],
    "ENUM_NAME_OVERRIDES": {
        "VerdictEnum": "vigilant.server.entries.models.Comparison.Verdict",
        "ChoiceEnum": "vigilant.server.entries.models.Decision.Choice",
        "ExpectationEnum": "vigilant.server.entries.models.Decision.Expectation",
        "RunStateEnum": "vigilant.server.runs.models.Run.State",
        "OutcomeEnum": "vigilant.server.runs.models.Outcome",
        "RecordingStateEnum": "vigilant.server.runs.models.Recording.State",
        "JobStateEnum": "vigilant.server.jobs.models.Job.State",
        "ControlEnum": "vigilant.server.runs.models.Recording.Control",
        "RoleEnum": "vigilant.server.books.models.Member.Role",
        "ScopeEnum": "vigilant.server.books.models.RecorderToken.Scope",
        "ArmEnum": "vigilant.server.runs.models.ArmLabel",
        "SeenStateEnum": "vigilant.server.evidence.models.StillRuling.State",
        "SideSeenEnum": "vigilant.server.evidence.watch_api.SIDES",
        "FileStateEnum": "vigilant.server.bring.models.BroughtFile.State",
        "IdeaStateEnum": "vigilant.server.backlog.models.Idea.State",
        "SizeEnum": "vigilant.server.backlog.models.Size",
        "KindEnum": "vigilant.server.bring.forms.FRAME_KINDS",
        "ReadyStateEnum": "vigilant.server.field.readiness.STATES",
        "LimitKindEnum": "vigilant.server.backlog.models.CounterLimit.Kind",
    },
}
