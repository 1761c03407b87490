"""`manage.py load_demo`: put the demo jobs on the shelf, unless it holds jobs already."""

import hashlib
import json
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from server import core
from server.actions import READ_GIGABYTES, READ_SECONDS, make_job
from server.models import Job, PartFile

ORDER = ("sinker", "float-yoke", "sight-glass-frame", "gauge-base")
"""The last made stands first on the shelf."""


class Command(BaseCommand):
    help = "Load the demo jobs into an empty shelf."

    def handle(self, *args: Any, **options: Any) -> None:
        if Job.objects.exists():
            self.stdout.write("The shelf holds jobs already; the demo is left alone.")
            return
        demo: Path = settings.BASE_DIR / "demo"
        wishes = json.loads((demo / "parts" / "from-parts.json").read_text())
        for wish in wishes:
            make_job(self.from_part(demo / "parts" / wish["part"], wish))
        for name in ORDER:
            make_job(json.loads((demo / f"{name}.json").read_text()))
        self.stdout.write(f"{len(ORDER) + len(wishes)} demo jobs are on the shelf.")

    def from_part(self, path: Path, wish: dict[str, Any]) -> dict[str, Any]:
        """The document of a job on a part that is read, placed and taken from as wished."""
        content = path.read_bytes()
        reading = core.read_apart(content, path.name, None, None, READ_SECONDS, READ_GIGABYTES)
        part = PartFile.objects.create(
            name=path.name, content=content, sha256=hashlib.sha256(content).hexdigest(),
            state=PartFile.State.DONE, reading=reading,
        )  # fmt: skip
        return core.parts.job_on_part(part.pk, path.name, reading, wish)
