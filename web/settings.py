"""Settings. The launcher gives the address of the database and the secret; nothing here reaches out to a network."""

import os
import sys
from pathlib import Path

import dj_database_url
from csp.constants import NONE, SELF

BASE_DIR = Path(__file__).resolve().parent.parent
TESTING = "test" in sys.argv[1:2]
SECRET_KEY = os.environ.get("PINE_SECRET", "only-for-tests-and-type-checks")
DEBUG = False
ALLOWED_HOSTS = os.environ.get("PINE_HOSTS", "localhost,127.0.0.1,[::1],testserver").split(",")

INSTALLED_APPS = [
    "web.shell.apps.ShellConfig",
    "web.people",
    "web.definitions",
    "web.codes",
    "web.structures",
    "web.companies",
    "web.journals",
    "web.statements",
    "web.group",
    "web.hierarchies",
    "web.drafts",
    "web.exchange",
    "axes",
    "pgtrigger",
    "rules",
    "django_htmx",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django.contrib.postgres",
    "procrastinate.contrib.django",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "web.shell.middleware.FaultMiddleware",
    "axes.middleware.AxesMiddleware",
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
                "web.shell.context.frame",
            ],
            "builtins": ["web.shell.templatetags.pine"],
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

PROCRASTINATE_IMPORT_PATHS = ["web.exchange.job", "web.definitions.tasks"]

AUTH_USER_MODEL = "people.Person"
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "rules.permissions.ObjectPermissionBackend",
    "django.contrib.auth.backends.ModelBackend",
]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "/"
LOGOUT_REDIRECT_URL = "sign-in"
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
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
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
X_FRAME_OPTIONS = "DENY"
DATA_UPLOAD_MAX_MEMORY_SIZE = 10_000_000
DATA_UPLOAD_MAX_NUMBER_FIELDS = 20_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 5_000_000
TEST_RUNNER = "web.testing.Runner"
SILENCED_SYSTEM_CHECKS = ["axes.W003"]
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "loggers": {"axes": {"level": "ERROR"}, "django.request": {"level": "CRITICAL" if TESTING else "ERROR"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
