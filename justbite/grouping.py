"""By depth: an operation's areas shared out over several, each with a bite that suits them.

An operation has one bite. One that suits a deep pocket is thin, so that a face takes several times as long with it as
by itself; and where step-downs suit one depth another needs a level more than it would. Areas of one depth begin as a
group; those that lose least by a common bite are put together, until one more operation is worth what it saves. Each
group comes after what must be cut before any of its areas.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from justbite import tolerances
from justbite.bite import solver
from justbite.bite.case import Case
from justbite.from_top import in_order
from justbite.model.before import earlier, forerunners
from justbite.model.job import Job, Operation, Region
from justbite.order import deeper_first
from justbite.prepare import case_for, depths_of
from justbite.weighing import weight_of

WORTH_SECONDS, WORTH_SHARE = 1.0, 0.01
"""s, and share of all seconds, that each further operation must save."""
ALIKE = 1.15
"""Depths that differ by less begin as one."""
NEIGHBOURS = 2
"""Groups that are tried together: so many next in depth."""
Group = frozenset[str]
"""Names of areas."""


@dataclass(frozen=True, slots=True)
class Shares:
    """Areas of an operation by groups, in the order in which they are cut, and what that is worth."""

    groups: tuple[tuple[str, ...], ...]
    """One where nothing is gained."""
    together: float
    apart: float
    """s at full bite, with one bite for all and with one for each group."""


class _Sharing:
    """Groups of one operation's areas: what they cost, and in which order they can be cut."""

    def __init__(self, job: Job, operation: Operation, case: Case) -> None:
        self._case, self._follows = replace(case, path=None), operation.follow_bite
        self.asked = operation.regions
        self.areas = {name: weight_of(job, name, deep) for name, deep in depths_of(job, operation).items()}
        self._first: set[tuple[str, str]] = set()
        self._known: dict[Group, float] = {}

    def keep(self, job: Job) -> bool:
        """From now on keep the order that a job asks for; False where that is no other than before."""
        before, told = self._first, forerunners(job, self.areas, tolerances.CHORD)
        self._first = {(one, name) for name, first in told.items() for one in first}
        return self._first != before

    def seconds(self, group: Group) -> float:
        """At full bite, with the bite that suits the group."""
        if group not in self._known:
            own = [self.areas[name] for name in group]
            sizes = dict[tuple[float, ...], float]()
            for area in own:
                sizes[area.deep] = sizes.get(area.deep, 0.0) + area.size
            sections = tuple((size, deep) for deep, size in sizes.items())
            bite = solver.about(replace(self._case, depth=max(map(sum, sizes)), areas=sections))
            self._known[group] = sum(area.seconds(self._case, bite, self._follows) for area in own)
        return self._known[group]

    def order(self, groups: Sequence[Group]) -> list[Group] | None:
        """What must come first, first; None where groups wait for each other."""
        of = {name: k for k, group in enumerate(groups) for name in group}
        waits = [set[int]() for _ in groups]
        for a, b in self._first:
            if a in of and b in of and of[a] != of[b]:
                waits[of[b]].add(of[a])
        left, found = list(range(len(groups))), []
        while left:
            ready = next((k for k in left if waits[k].isdisjoint(left)), None)
            if ready is None:
                return None
            found.append(groups[ready])
            left.remove(ready)
        return found

    def alike(self) -> list[Group]:
        """Groups of areas that are about as deep, the shallowest first."""
        found = [frozenset([name]) for name in sorted(self.areas, key=lambda n: self.areas[n].deepest)]
        for group in list(found):
            (deep,) = (self.areas[name].deepest for name in group)
            for other in found[: found.index(group)]:
                both = [other | group if g is other else g for g in found if g is not group]
                if deep < ALIKE * min(self.areas[n].deepest for n in other) and self.order(both) is not None:
                    found = both
                    break
        return found

    def merged(self, groups: list[Group]) -> list[Group] | None:
        """With the two groups put together that lose least by it; None where none can be."""
        rising = sorted(groups, key=lambda g: max(self.areas[n].deepest for n in g))
        trials = []
        for k, a in enumerate(rising):
            for b in rising[k + 1 : k + 1 + NEIGHBOURS]:
                trial = [*(g for g in groups if g not in (a, b)), a | b]
                if self.order(trial) is not None:
                    trials.append((self.seconds(a | b) - self.seconds(a) - self.seconds(b), trial))
        return min(trials, key=lambda t: t[0])[1] if trials else None


def shares(job: Job, operation: Operation) -> Shares:
    """How the areas of an operation are best shared out by depth. Raises JobError where nothing is to be cut.

    All in one group where its bite, step-down and feed are given, since then each group had the same; and where one
    of them was cut before: what is left in it is as deep as it is.
    """
    case = case_for(job, operation)
    whole = Shares((tuple(operation.regions),), 0.0, 0.0)
    again = any(set(other.regions) & set(operation.regions) for other in earlier(job, operation))
    if again or len(operation.regions) < 2 or {"ae", "ap", "feed"} <= set(case.pinned):
        return whole
    # First with what lies below an area before it or after as is quicker; then after it in any case. A
    # shallow area in an operation before its deeper neighbour's begins in the solid, as a face does: only where nothing
    # is gained otherwise.
    planned, deeper = in_order(job, apart=True), deeper_first(job, tolerances.CHORD)
    first = _Sharing(planned, operation, case)
    after = first if planned == deeper else _Sharing(job, operation, case)
    first.keep(planned)
    best = _shared(first)
    if after is not first and after.keep(deeper):
        best = min(best, _shared(after), key=_cost)
    if len(best.groups) < 2 and after.keep(job):
        best = _shared(after)
    together = first.seconds(frozenset(first.areas))
    # In the order that was asked for all in one may take longer than it does in the order that is planned.
    if len(best.groups) < 2 or _cost(best) >= together + _worth(together):
        return whole
    return replace(best, together=together)


def _cost(shares: Shares) -> float:
    """Seconds, and what each operation is worth."""
    return shares.apart + _worth(shares.apart) * len(shares.groups)


def _worth(seconds: float) -> float:
    return max(WORTH_SECONDS, WORTH_SHARE * seconds)


def _shared(sharing: _Sharing) -> Shares:
    """The best groups."""
    groups: list[Group] | None = sharing.alike()
    found = []
    while groups is not None:
        found.append((sum(map(sharing.seconds, groups)), groups))
        groups = sharing.merged(groups)
    worth = _worth(min(seconds for seconds, _ in found))
    apart, best = min(reversed(found), key=lambda f: f[0] + worth * len(f[1]))
    order = sharing.order(best) or [frozenset(sharing.areas)]
    # Where nothing is to be cut of an area it stays with the last.
    order[-1] |= set(sharing.asked) - set(sharing.areas)
    named = tuple(tuple(name for name in sharing.asked if name in group) for group in order)
    return Shares(named, apart, apart)


def shared_out(job: Job, operation: Operation) -> list[Operation]:
    """The operations that an operation becomes; itself where nothing is gained. Raises JobError."""
    groups = shares(job, operation).groups
    if len(groups) < 2:
        return [operation]
    deep = depths_of(job, operation)
    volumes = {name: weight_of(job, name, own).volume for name, own in deep.items()}
    main = max(range(len(groups)), key=lambda k: sum(volumes.get(n, 0.0) for n in groups[k]))
    taken = {o.name for o in job.operations}
    found = []
    for k, group in enumerate(groups):
        name = operation.name
        if k != main:
            said = _said([job.region(n) for n in group], _deepest(deep, group) < _deepest(deep, groups[main]))
            name = _free(f"{operation.name}, {said}", taken)
            taken.add(name)
        found.append(operation.model_copy(update={"name": name, "regions": list(group)}))
    return found


def all_by_depth(job: Job) -> Job:
    """The job with all of its operations shared out. Raises JobError."""
    for operation in job.operations:
        at = job.operations.index(operation)
        operations = [*job.operations[:at], *shared_out(job, operation), *job.operations[at + 1 :]]
        job = job.model_copy(update={"operations": operations})
    return job


def _deepest(deep: dict[str, tuple[float, ...]], group: Sequence[str]) -> float:
    return max(sum(deep.get(name, (0.0,))) for name in group)


def _said(regions: list[Region], shallow: bool) -> str:
    """What a group is called beside its operation's name."""
    if len(regions) == 1:
        return regions[0].name
    if all(region.over_slope > 0.0 for region in regions):
        return "steps"
    return "shallow" if shallow else "deep"


def _free(name: str, taken: set[str]) -> str:
    numbers = (f"{name} {k}" for k in range(2, len(taken) + 3))
    return name if name not in taken else next(n for n in numbers if n not in taken)
