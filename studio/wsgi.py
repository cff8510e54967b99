"""The studio as a WSGI application."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
application = get_wsgi_application()

from studio.looks import preload  # noqa: E402  (its models want the application)

if os.environ.get("LUMWICK_PRELOAD") != "0":
    preload.begin()
