"""`manage.py load_demo`: put the demo jobs on the shelf, unless it holds jobs already."""

import json
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from server.actions import make_job
from server.models import Job

ORDER = ("sinker", "float-yoke", "gauge-base")
"""The last made stands first on the shelf."""


class Command(BaseCommand):
    help = "Load the demo jobs into an empty shelf."

    def handle(self, *args: Any, **options: Any) -> None:
        if Job.objects.exists():
            self.stdout.write("The shelf holds jobs already; the demo is left alone.")
            return
        for name in ORDER:
            make_job(json.loads((settings.BASE_DIR / "demo" / f"{name}.json").read_text()))
        self.stdout.write(f"{len(ORDER)} demo jobs are on the shelf.")
