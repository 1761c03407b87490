"""The ASGI application that uvicorn serves."""

import os

from django.core.asgi import get_asgi_application
from django.urls import get_resolver

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
application = get_asgi_application()
# Before the port opens: else the first who asks waits until all of the core is loaded.
get_resolver().url_patterns  # noqa: B018
