"""Settings. Everything that differs between installations comes from the environment:

GULCH_HOME   folder of the database and the secret key (default: the user's data folder)
GULCH_HOSTS  host names served besides the loopback ones, separated by commas
GULCH_HTTPS  "1": a reverse proxy speaks HTTPS to the browsers (and sets X-Forwarded-Proto and X-Forwarded-For)
GULCH_PROXY  address from which that proxy asks (default: 127.0.0.1)
GULCH_DEMO   "1": requests from this computer are signed in as the demo user
GULCH_WORKERS      processes for scans (default: one for each core)
GULCH_WORKERS_NOW  processes for what users wait for (default: 1; hard solves make room by themselves)
GULCH_CLUSTER      address of a dask scheduler, "tcp://host:8786", on which scans run instead
GULCH_TIME_LIMIT   seconds after which any solve is ended (default: 600); searches are limited by counts before
"""

from __future__ import annotations

import contextlib
import os
import secrets
from datetime import timedelta
from pathlib import Path

from platformdirs import user_data_dir

HERE = Path(__file__).resolve().parent
HOME = Path(os.environ.get("GULCH_HOME") or user_data_dir("gulch", appauthor=False))
os.umask(0o077)  # database, key and logs are their owner's only
try:
    HOME.mkdir(parents=True, exist_ok=True)
except OSError as error:
    raise SystemExit(f"No folder can be made at {HOME} ({error.strerror}): let GULCH_HOME name one that can be written.") from None
with contextlib.suppress(OSError):  # a folder of an older version, or not one's own
    HOME.chmod(0o700)


def _secret_key() -> str:
    path = HOME / "secret-key"
    try:
        with open(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600), "w") as file:
            file.write(secrets.token_urlsafe(50))
    except FileExistsError:
        pass
    return path.read_text()


def _count(name: str, default: int) -> int:
    """A whole number above 0 from the environment."""
    text = os.environ.get(name, "")
    if text and not (text.isascii() and text.isdigit() and 0 < int(text) < 100_000):
        raise SystemExit(f"{name} is “{text}”: give a whole number above 0.")
    return int(text) if text else default


SECRET_KEY = _secret_key()
DEBUG = False
HOSTS = [h.strip() for h in os.environ.get("GULCH_HOSTS", "").split(",") if h.strip()]
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", *HOSTS]
HTTPS = os.environ.get("GULCH_HTTPS") == "1"
if HTTPS:
    SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = True
    CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in HOSTS]
PROXY = os.environ.get("GULCH_PROXY", "127.0.0.1") if HTTPS else None  # only what it says of browsers is believed
GULCH_DEMO = os.environ.get("GULCH_DEMO") == "1"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "axes",
    "gulch.web.projects",
    "gulch.web",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "gulch.web.middleware.ContentSecurityPolicy",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "gulch.web.projects.turnstile.AtWork",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "gulch.web.middleware.DemoSignIn",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "gulch.web.middleware.Sentences",
    "gulch.web.middleware.SignedOut",
    "axes.middleware.AxesMiddleware",
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AXES_HANDLER = "gulch.web.projects.accounts.Guesses"
AXES_FAILURE_LIMIT = 8  # with one name from one address: nobody locks another out
GULCH_MOST_GUESSES = 40  # from one address, whatever the names
AXES_COOLOFF_TIME = timedelta(minutes=5)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_RESET_COOL_OFF_ON_FAILURE_DURING_LOCKOUT = False  # five minutes are five minutes
AXES_LOCKOUT_TEMPLATE = "projects/locked_out.html"
AXES_VERBOSE = False
ROOT_URLCONF = "gulch.web.urls"
WSGI_APPLICATION = "gulch.web.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [HERE / "templates"],
        "APP_DIRS": False,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ],
            "builtins": ["gulch.web.templatetags.gulch"],
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": HOME / "gulch.sqlite3",
        "CONN_MAX_AGE": None,  # each thread keeps its connection: opening one takes longer than most questions
        "OPTIONS": {
            "init_command": ("PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA busy_timeout=20000; PRAGMA cache_size=-500;"),
            "transaction_mode": "IMMEDIATE",
        },
        "TEST": {"NAME": str(HOME / "test.sqlite3")},  # a file: scan threads and the test server share it
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL, LOGIN_REDIRECT_URL, LOGOUT_REDIRECT_URL = "sign-in", "projects", "sign-in"

STATIC_URL = "static/"
STATICFILES_DIRS = [HERE / "static"]
STATIC_ROOT = HOME / "static"
STATIC_ROOT.mkdir(exist_ok=True)
# `gulch serve` and `gulch demo` collect the files beforehand: compressed, with hashed names that browsers keep
COLLECTED = os.environ.get("GULCH_COLLECTED") == "1"
WHITENOISE_USE_FINDERS = not COLLECTED
WHITENOISE_MAX_AGE = 3600
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "gulch.web.storage.Hashed" if COLLECTED else "django.contrib.staticfiles.storage.StaticFilesStorage"},
}

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "{asctime} {levelname} {name}: {message}", "style": "{"}},
    "handlers": {"errors": {"class": "logging.StreamHandler", "formatter": "line"}},  # standard error, for whatever keeps the log
    "root": {"handlers": ["errors"], "level": "WARNING"},
    # what a user typed wrongly is answered, and no trouble of the server
    "loggers": {"django.request": {"level": "ERROR"}, "django.server": {"level": "ERROR"}, "axes": {"level": "ERROR"}},
}

USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en"
USE_I18N = False
DATA_UPLOAD_MAX_MEMORY_SIZE = 2_500_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 2_500_000
DATA_UPLOAD_MAX_NUMBER_FIELDS = 500
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
SESSION_ENGINE = "gulch.web.sessions"
CACHES = {"default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache", "OPTIONS": {"MAX_ENTRIES": 10_000}}}
SESSION_COOKIE_NAME, CSRF_COOKIE_NAME = "gulch_session", "gulch_csrf"
X_FRAME_OPTIONS = "DENY"
GULCH_WORK_INLINE = False  # tests solve in the request
GULCH_WORKERS_NOW = _count("GULCH_WORKERS_NOW", 1)
GULCH_WORKERS_LATER = _count("GULCH_WORKERS", os.cpu_count() or 1)
GULCH_CLUSTER = os.environ.get("GULCH_CLUSTER", "")
GULCH_TIME_LIMIT = float(_count("GULCH_TIME_LIMIT", 600))
