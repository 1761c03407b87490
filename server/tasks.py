"""Background work (Django Tasks)."""

from django_tasks import task

from server import actions


@task()
def run_reading(pk: int) -> None:
    """Read the part file with this key."""
    actions.read_file(pk)


@task()
def run_plan(pk: int) -> None:
    """Compute the plan with this key."""
    actions.compute_plan(pk)
