"""Background work (Django Tasks)."""

from django_tasks import task

from server import actions


@task()
def run_plan(pk: int) -> None:
    """Compute the plan with this key."""
    actions.compute_plan(pk)
