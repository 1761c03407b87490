"""Django settings: one user, one machine, SQLite, tasks in the database."""

import os
import secrets
import warnings
from pathlib import Path

BASE_DIR = Path(__file__).resolve().parent.parent
DATA_DIR = Path(os.environ.get("JUSTBITE_DATA", BASE_DIR / "data"))
DATA_DIR.mkdir(parents=True, exist_ok=True)
WEB_DIST = BASE_DIR / "web" / "dist"
WEB_DIST.mkdir(parents=True, exist_ok=True)


def _secret() -> str:
    """A key of this installation's own, made once."""
    file = DATA_DIR / "secret_key"
    if not file.exists():
        file.write_text(secrets.token_urlsafe(50))
        file.chmod(0o600)
    return file.read_text()


SECRET_KEY = _secret()
DEBUG = False
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]", "testserver"]
ROOT_URLCONF = "server.urls"
ASGI_APPLICATION = "server.asgi.application"
INSTALLED_APPS = ["django.contrib.contenttypes", "ninja", "django_tasks", "django_tasks_db", "server"]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.common.CommonMiddleware",
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA_DIR / "justbite.sqlite3",
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL;",
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
TASKS = {
    "default": {
        "BACKEND": os.environ.get("JUSTBITE_TASKS", "django_tasks_db.DatabaseBackend"),
        "QUEUES": ["default"],
    }
}
USE_TZ = True
TIME_ZONE = "UTC"
STATIC_URL = "/static/"
WHITENOISE_ROOT = WEB_DIST
WHITENOISE_INDEX_FILE = True
DATA_UPLOAD_MAX_MEMORY_SIZE = 20_000_000
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"


def _hashed(path: str, url: str) -> bool:
    """Vite's assets carry a hash in their names: they never change."""
    return url.startswith("/assets/")


WHITENOISE_IMMUTABLE_FILE_TEST = _hashed
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}

# whitenoise streams small files under ASGI; Django warns at each of them.
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
