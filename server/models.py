"""What is kept: jobs with their history, and plans with their results."""

from typing import ClassVar

from django.db import models


class PartFile(models.Model):
    """A file with a part, as it came, and what was read from it."""

    class State(models.TextChoices):
        WAITING = "waiting"
        READING = "reading"
        DONE = "done"
        FAILED = "failed"

    name = models.CharField(max_length=200)
    content = models.BinaryField()
    sha256 = models.CharField(max_length=64)
    units = models.CharField(max_length=2, default="", blank=True)
    join = models.FloatField(default=0)
    """mm of gap that is bridged between a drawing's lines; 0: only what drawing tolerances need."""
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    sentence = models.TextField(default="", blank=True)
    reading = models.BinaryField(default=b"")
    made = models.DateTimeField(auto_now_add=True)


class StoreEntry(models.Model):
    """A material, cutter or machine of the workshop's own, beside the catalogue that ships."""

    class Kind(models.TextChoices):
        MATERIAL = "materials"
        TOOL = "tools"
        MACHINE = "machines"

    kind = models.CharField(max_length=10, choices=Kind.choices)
    data = models.JSONField()
    made = models.DateTimeField(auto_now_add=True)


class Job(models.Model):
    """A job as its document (the job file); `revision` counts its edits."""

    name = models.CharField(max_length=200)
    document = models.JSONField()
    revision = models.PositiveIntegerField(default=1)
    created = models.DateTimeField(auto_now_add=True)
    updated = models.DateTimeField(auto_now=True)


class Revision(models.Model):
    """An earlier document of a job: its history."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="history")
    number = models.PositiveIntegerField()
    document = models.JSONField()
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["job", "number"], name="one_document_a_revision")]


class Plan(models.Model):
    """One planning of a job: its state while it runs, its result when done."""

    class State(models.TextChoices):
        WAITING = "waiting"
        COMPUTING = "computing"
        DONE = "done"
        STOPPED = "stopped"
        FAILED = "failed"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="plans")
    document = models.JSONField()
    document_hash = models.CharField(max_length=64, db_index=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0)
    doing = models.CharField(max_length=200, default="", blank=True)
    cancel_requested = models.BooleanField(default=False)
    heartbeat = models.DateTimeField(auto_now_add=True)
    started = models.DateTimeField(null=True)
    finished = models.DateTimeField(null=True)
    sentence = models.TextField(default="", blank=True)
    report = models.JSONField(null=True)
    program = models.TextField(default="", blank=True)
    trace = models.BinaryField(default=b"")
