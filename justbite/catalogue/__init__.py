"""The catalogue that ships: materials, cutters, machines (TOML beside this file)."""

import tomllib
from functools import cache
from importlib.resources import files

from justbite.errors import JobError
from justbite.model.job import Job, Machine, Material, Tool


@cache
def materials() -> dict[str, Material]:
    """Materials by id."""
    return {k: Material(**_without_source(v)) for k, v in _table("materials").items()}


@cache
def machines() -> dict[str, Machine]:
    """Machines by id."""
    return {k: Machine(**_without_source(v)) for k, v in _table("machines").items()}


@cache
def tools() -> dict[str, Tool]:
    """Cutters by id; the number is given when one goes into a job."""
    return {k: Tool(number=1, **_without_source(v)) for k, v in _table("tools").items()}


@cache
def sources() -> dict[str, str]:
    """Where the figures of each entry come from, by id."""
    return {k: v["source"] for t in ("materials", "machines", "tools") for k, v in _table(t).items()}


def _table(name: str):  # type: ignore[no-untyped-def]
    return tomllib.loads((files(__package__) / f"{name}.toml").read_text())


def _without_source(entry):  # type: ignore[no-untyped-def]
    return {k: v for k, v in entry.items() if k != "source"}


def material_of(job: Job) -> Material:
    """The job's material, looked up when it is an id. Raises JobError."""
    return _of(job.material, materials(), "material")


def machine_of(job: Job) -> Machine:
    """The job's machine, looked up when it is an id. Raises JobError."""
    return _of(job.machine, machines(), "machine")


def _of(given, table, what):  # type: ignore[no-untyped-def]
    if not isinstance(given, str):
        return given
    if given not in table:
        known = ", ".join(sorted(table))
        raise JobError(f'{what}: "{given}" is not in the catalogue.', f"Known are: {known}.")
    return table[given]
