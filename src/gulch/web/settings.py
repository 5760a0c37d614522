"""Settings. Everything that differs between installations comes from the environment:

GULCH_HOME   folder of the database and the secret key (default: the user's data folder)
GULCH_HOSTS  host names served besides the loopback ones, separated by commas
GULCH_DEMO   "1": requests from this computer are signed in as the demo user
"""

import os
import secrets
from pathlib import Path

from platformdirs import user_data_dir

HERE = Path(__file__).resolve().parent
HOME = Path(os.environ.get("GULCH_HOME") or user_data_dir("gulch", appauthor=False))
HOME.mkdir(parents=True, exist_ok=True)


def _secret_key():
    path = HOME / "secret-key"
    try:
        with open(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600), "w") as file:
            file.write(secrets.token_urlsafe(50))
    except FileExistsError:
        pass
    return path.read_text()


SECRET_KEY = _secret_key()
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", *filter(None, os.environ.get("GULCH_HOSTS", "").split(","))]
GULCH_DEMO = os.environ.get("GULCH_DEMO") == "1"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "gulch.web.projects",
    "gulch.web",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "gulch.web.middleware.ContentSecurityPolicy",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "gulch.web.middleware.DemoSignIn",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "gulch.web.middleware.UnreadableProject",
]
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
        "OPTIONS": {
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA busy_timeout=5000;",
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
WHITENOISE_USE_FINDERS = True
WHITENOISE_MAX_AGE = 3600

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
SESSION_COOKIE_NAME, CSRF_COOKIE_NAME = "gulch_session", "gulch_csrf"
X_FRAME_OPTIONS = "DENY"
GULCH_JOBS_INLINE = False  # tests run scans in the request
