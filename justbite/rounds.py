"""How an operation is asked for, round after round: more carefully where the proof found more than its bite."""

from dataclasses import dataclass, replace

from justbite.model.bite import Bite

HELD = (0.99, 0.975)
"""Shares of the bite that the passes of an operation are held to when it is planned again, since the proof found more
than the bite in it: other passes, that seldom meet the like twice."""
SHALLOW, HELD_SHALLOW = 0.5, 0.85
"""Of the step-down of the bite that was weighed first: one chosen by minutes that is less deep is held to so much, and
then given up, where the proof finds more than it. A floor of 0.1 mm is skimmed beside films on walls 11 mm high (odd
job 1386), and a film of 0.02 mm is a fifth of such a bite."""
ROUNDS = 2 + len(HELD)
"""How often a job is planned again, at most."""


@dataclass(frozen=True, slots=True)
class Asked:
    """How an operation is to be planned."""

    held: float = 1.0
    """Share of the bite that passes are held to."""
    choose: bool = True
    """Whether another bite than the one that was weighed may be chosen by minutes."""

    def more_careful(self, taken: Bite, weighed: Bite) -> "Asked":
        """How to plan it again, when it was planned so and took `taken`; the same where nothing is left to try."""
        if self.choose and self.held <= HELD_SHALLOW:
            return Asked(choose=False)
        if self.choose and taken.ap < SHALLOW * weighed.ap:
            return replace(self, held=HELD_SHALLOW)
        return replace(self, held=next((share for share in HELD if share < self.held), self.held))
