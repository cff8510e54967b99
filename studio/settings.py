"""The studio's settings; what differs between machines comes from var/ or the environment."""

import os
import secrets
from collections.abc import Callable
from pathlib import Path

BASE_DIR = Path(__file__).resolve().parent.parent
VAR = Path(os.environ.get("LUMWICK_VAR", BASE_DIR / "var"))


def _kept(name: str, make: Callable[[], str]) -> str:
    """A secret made once and kept in var/."""
    path = VAR / name
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(make())
        path.chmod(0o600)
    return path.read_text().strip()


def _note(name: str, otherwise: str) -> str:
    path = VAR / "pg" / name
    return path.read_text().strip() if path.exists() else otherwise


SECRET_KEY = os.environ.get("LUMWICK_SECRET") or _kept("secret", lambda: secrets.token_urlsafe(48))
DEBUG = os.environ.get("LUMWICK_DEBUG") == "1"
"""For development alone (`make dev`, which serves on loopback): debug pages, and nothing of templates, scripts and
styles is kept from one request to the next."""
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "testserver"]
INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django_htmx",
    "procrastinate.contrib.django",
    "studio.places",
    "studio.takes",
    "studio.guests",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "studio.places.bodies.BoundedBodies",
    "studio.places.clean.CleanRequests",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "studio.places.middleware.SignedOutMiddleware",
    "studio.places.middleware.SentencesMiddleware",
]
ROOT_URLCONF = "studio.urls"
WSGI_APPLICATION = "studio.wsgi.application"
LOADERS = ["django.template.loaders.filesystem.Loader", "django.template.loaders.app_directories.Loader"]
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [BASE_DIR / "studio" / "templates"],
        "APP_DIRS": not DEBUG,
        "OPTIONS": {
            **({"loaders": LOADERS} if DEBUG else {}),
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ],
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("LUMWICK_DB", "postgres"),
        "USER": "lumwick",
        "HOST": "127.0.0.1",
        "PORT": _note("port", "5432"),
        "PASSWORD": _note("password", ""),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "TEST": {"NAME": os.environ.get("LUMWICK_TEST_DB", "lumwick_test")},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_PASSWORD_VALIDATORS = [{"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"}]
LOGIN_URL, LOGIN_REDIRECT_URL, LOGOUT_REDIRECT_URL = "sign-in", "chest", "sign-in"
LANGUAGE_CODE, TIME_ZONE, USE_TZ, USE_I18N = "en-gb", "UTC", True, False
STATIC_URL = "static/"
STATICFILES_DIRS = [BASE_DIR / "studio" / "static"]
WHITENOISE_USE_FINDERS, WHITENOISE_AUTOREFRESH = True, DEBUG
MEDIA_ROOT = Path(os.environ.get("LUMWICK_MEDIA", VAR / "media"))
DATA_UPLOAD_MAX_MEMORY_SIZE = 30_000_000
FILE_UPLOAD_TEMP_DIR = None
SESSION_COOKIE_HTTPONLY, CSRF_COOKIE_HTTPONLY = True, False
SESSION_COOKIE_AGE = 60 * 60 * 24 * 30
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"studio": {"level": "INFO"}, "procrastinate": {"level": "WARNING"}},
}
