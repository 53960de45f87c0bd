"""What `set_up.py` has written down, and the little that Django needs: the desk has no database of its own."""

import json
import os
from pathlib import Path

BASE = Path(__file__).parent
#: {url, project, environment, token, secret_key}
RONDINE = json.loads(Path(os.environ["DESK_SETTINGS"]).read_text())

SECRET_KEY = RONDINE["secret_key"]
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost"]
ROOT_URLCONF = "desk.urls"
INSTALLED_APPS = ["django.contrib.staticfiles", "django.contrib.messages", "desk"]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
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
                "django.contrib.messages.context_processors.messages",
            ]
        },
    }
]
# a user's session at the crew board is that user's alone: it is in the browser's cookie, where scripts cannot read it
SESSION_ENGINE = "django.contrib.sessions.backends.signed_cookies"
SESSION_COOKIE_NAME, CSRF_COOKIE_NAME = "desk-session", "desk-csrf"
SESSION_COOKIE_HTTPONLY = True
SESSION_EXPIRE_AT_BROWSER_CLOSE = True
MESSAGE_STORAGE = "django.contrib.messages.storage.session.SessionStorage"
STATIC_URL = "/static/"
FILE_UPLOAD_MAX_MEMORY_SIZE = 1024 * 1024
# the address that people come back to from the crew board has a code in it, which is for no log
LOGGING = {"version": 1, "disable_existing_loggers": False, "loggers": {"django.server": {"level": "ERROR"}}}
USE_TZ, TIME_ZONE = True, "UTC"
