"""Settings. The launcher gives the address of the database and the secret; nothing here reaches out to a
network."""

import os
import sys
from pathlib import Path
from urllib.parse import urlsplit

import dj_database_url
from csp.constants import NONE, SELF
from django.core.exceptions import ImproperlyConfigured

BASE_DIR = Path(__file__).resolve().parent.parent
TESTING = "test" in sys.argv[1:2]
DEBUG = False
SECRET_KEY = os.environ.get("PINE_SECRET", "")
if not SECRET_KEY:
    raise ImproperlyConfigured("Give a secret in PINE_SECRET; ./pine makes one and keeps it.")
HEADS = os.environ.get("PINE_HEADS", "")
"""the folder in which ends of chains are kept (web/exchange/heads.py); none: nowhere"""
KEPT = os.environ.get("PINE_KEPT", "")
"""the folder of what processes of this machine share (web/shell/kept_files.py); none: nowhere"""
SECRET_KEY_FALLBACKS = os.environ.get("PINE_SECRET_EARLIER", "").split()
"""Secrets of before, parted by spaces: what was sealed under them still opens while the secret is changed."""
PUBLIC = urlsplit(os.environ.get("PINE_ADDRESS", ""))
"""Where people reach it, as https://books.example, where a proxy with TLS stands before it; else only this
machine does."""
BEHIND_TLS = PUBLIC.scheme == "https"
ALLOWED_HOSTS = [
    *(os.environ.get("PINE_HOSTS") or "localhost,127.0.0.1,[::1]").split(","),
    *([PUBLIC.hostname] if PUBLIC.hostname else []),
]

INSTALLED_APPS = [
    "web.shell.apps.ShellConfig",
    "web.people",
    "web.definitions",
    "web.sheets",
    "web.codes",
    "web.structures",
    "web.companies",
    "web.journals",
    "web.statements",
    "web.budgets",
    "web.group",
    "web.packs",
    "web.chart_moves",
    "web.hierarchies",
    "web.rollouts",
    "web.requests",
    "web.drafts",
    "web.exchange",
    "web.frame",
    "axes",
    "pgtrigger",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django.contrib.postgres",
    "procrastinate.contrib.django",
]

MIDDLEWARE = [
    "web.shell.numbered.NumberMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "web.shell.middleware.FaultMiddleware",
    "axes.middleware.AxesMiddleware",
    "web.shell.fragments.FragmentPages",
]

ROOT_URLCONF = "web.urls"
WSGI_APPLICATION = "web.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "web.frame.context.frame",
            ],
            "builtins": [
                "django.contrib.humanize.templatetags.humanize",
                "web.shell.templatetags.pine",
            ],
        },
    }
]

DATABASES = {
    "default": {
        **dj_database_url.parse(os.environ.get("PINE_DATABASE_URL", "postgres://pine@127.0.0.1:5432/pine")),
        "CONN_MAX_AGE": None,
        "CONN_HEALTH_CHECKS": True,
    }
}

PROCRASTINATE_IMPORT_PATHS = [
    "web.exchange.job",
    "web.packs.job",
    "web.rollouts.job",
    "web.definitions.tasks",
    "web.exchange.tasks",
]

AUTH_USER_MODEL = "people.Person"
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "django.contrib.auth.backends.ModelBackend",
    "web.people.single_sign_on.SingleSignOn",
]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "/"
LOGOUT_REDIRECT_URL = "sign-in"
PASSWORD_HASHERS = [
    # harder to guess than the default and three times as fast to check
    "django.contrib.auth.hashers.Argon2PasswordHasher",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",
]
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"], "ip_address"]
AXES_LOCKOUT_CALLABLE = "web.shell.failing.locked_out"
AXES_CLIENT_IP_CALLABLE = "web.shell.failing.address_of"
AXES_ENABLED = not TESTING
AXES_VERBOSE = False

LANGUAGE_CODE = "en-gb"
TIME_ZONE = "UTC"
USE_I18N = False
USE_TZ = True
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

STATIC_URL = "/static/"
STATICFILES_DIRS = [BASE_DIR / "web" / "static"]
STATIC_ROOT = BASE_DIR / "staticfiles"
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = False

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF],
        "style-src": [SELF],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "object-src": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}
if BEHIND_TLS:
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SECURE_SSL_REDIRECT = True
    SECURE_REDIRECT_EXEMPT = ["^alive$"]
    SECURE_HSTS_SECONDS = 365 * 24 * 3600
    SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = True
    CSRF_TRUSTED_ORIGINS = [f"https://{PUBLIC.netloc}"]
CSRF_FAILURE_VIEW = "web.shell.failing.csrf_failed"
if served_as := os.environ.get("PINE_SERVED_AS"):
    # browsers keep cookies by host, not by port: two servers beside each other would sign each other out
    SESSION_COOKIE_NAME, CSRF_COOKIE_NAME = f"sessionid-{served_as}", f"csrftoken-{served_as}"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
X_FRAME_OPTIONS = "DENY"
DATA_UPLOAD_MAX_MEMORY_SIZE = 10_000_000
DATA_UPLOAD_MAX_NUMBER_FIELDS = 20_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 5_000_000
TEST_RUNNER = "web.testing.Runner"
SILENCED_SYSTEM_CHECKS = ["axes.W003"]
RATE_FEED = os.environ.get("PINE_RATE_FEED", "")
"""the address of a service of reference rates; `./pine start` names its simulated one where none is given"""
SINGLE_SIGN_ON = {
    "discovery": os.environ.get("PINE_SIGN_ON", ""),
    "client": os.environ.get("PINE_SIGN_ON_CLIENT", "pine"),
    "secret": os.environ.get("PINE_SIGN_ON_SECRET", ""),
    "claim": os.environ.get("PINE_SIGN_ON_CLAIM", "preferred_username"),
    "name": os.environ.get("PINE_SIGN_ON_NAME", "your company's account"),
}
"""an OpenID Connect provider by its discovery address; without one, people sign in here only"""
OIDC_AUTHENTICATION_CALLBACK_URL = "single-sign-on-back"
OIDC_RP_SCOPES = "openid profile"
OIDC_USE_PKCE = True
OIDC_TIMEOUT = 10
LOG_AS = os.environ.get("PINE_LOG", "text")
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"number": {"()": "web.shell.numbered.NumberFilter"}},
    "formatters": {
        "text": {"format": "%(asctime)s %(levelname)s %(request_number)s %(name)s: %(message)s"},
        "json": {
            "()": "pythonjsonlogger.json.JsonFormatter",
            "fmt": "%(asctime)s %(levelname)s %(request_number)s %(name)s %(message)s",
        },
    },
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "filters": ["number"],
            "formatter": "json" if LOG_AS == "json" else "text",
        }
    },
    "loggers": {"axes": {"level": "ERROR"}, "django.request": {"level": "CRITICAL" if TESTING else "ERROR"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
