"""The exceptions of the core. Each carries a sentence that a machinist understands.

JustBiteError
├── InputError          something given by the user cannot be used
│   ├── PartError       a drawing or model that cannot be read
│   └── JobError        a job file or a value in it
├── NothingToCutError   the job is sound, but no cutter gets into any of its areas
├── ProgramError        an NC program that cannot be read back
├── PlannerError        a fault of ours, on an area that is named
└── StoppedError        planning was stopped on request
"""

import traceback
from collections.abc import Iterator
from contextlib import contextmanager


class JustBiteError(Exception):
    """Base of all. `sentence` says what and where, `hint` what to do about it."""

    def __init__(self, sentence: str, hint: str = "", where: str = "") -> None:
        super().__init__(sentence, hint, where)
        self.sentence = sentence
        self.hint = hint
        self.where = where

    def __str__(self) -> str:
        return f"{self.sentence} {self.hint}".strip()


class InputError(JustBiteError):
    """Something given by the user cannot be used. `faults` holds one sentence per fault."""

    @property
    def faults(self) -> list[str]:
        return [str(self)]


class PartError(InputError):
    """A drawing or model that cannot be read."""


class JobError(InputError):
    """A job that cannot be planned as it stands; may carry several faults."""

    def __init__(self, sentence: str, hint: str = "", where: str = "", more: tuple[str, ...] = ()) -> None:
        super().__init__(sentence, hint, where)
        self.args = (sentence, hint, where, more)
        self.more = more

    @staticmethod
    def of(faults: list[str]) -> "JobError":
        """One error for a list of fault sentences."""
        return JobError(faults[0], more=tuple(faults[1:]))

    @property
    def faults(self) -> list[str]:
        return [str(self), *self.more]


class NothingToCutError(InputError):
    """The job is sound, but no cutter gets into any of its areas."""


class ProgramError(JustBiteError):
    """An NC program that cannot be read back."""


class PlannerError(JustBiteError):
    """A fault of ours, on an area that is named; where in the code is in its notes, which forks hand on."""


class StoppedError(JustBiteError):
    """Planning was stopped on request."""


@contextmanager
def working_on(area: str, operation: str) -> Iterator[None]:
    """Tell which area it was, where what is done within fails as it should not. Raises PlannerError."""
    try:
        yield
    except JustBiteError:
        raise
    except Exception as error:
        fault = PlannerError(
            f'The planner failed on area "{area}" of "{operation}".',
            "Take that area out of the operation to plan the others; please keep the job as it is and report it.",
        )
        fault.add_note(traceback.format_exc().rstrip())
        raise fault from error
