"""A written program run over the stock and measured, operation by operation, on a map as fine as each asks for.

Where a chip is thicker than a tooth bears its blocks are brought down and measured anew: what a cutter takes does not
depend on its feed, so that nothing is run twice. The program is then written with these feeds and read once more, and
what was measured stands for it if it goes the very same way at the very feeds.
"""

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from justbite import slower, tolerances
from justbite.bite.conditions import borne_chip
from justbite.memory import give_back_small
from justbite.model.bite import Bite
from justbite.model.job import Job
from justbite.model.moves import Moves
from justbite.model.trace import spacing
from justbite.nc.writer import written_feed
from justbite.prepare import case_for
from justbite.proof.again import Gone, beyond, looked_at_again
from justbite.proof.audit import Audit, measured, renumbered
from justbite.proof.running import ProofSettings, run_operation
from justbite.proof.stockmap import Asked, Stock
from justbite.proved import too_thick

TIMES = 3
"""How often the feeds of an operation are brought down."""

Tick = Callable[[str, float], None]
"""Called with what is proved and the share of the operations done; may raise to stop."""


@dataclass(frozen=True, slots=True)
class Proved:
    """A program's moves with the feeds at which they were measured, and what was found; one of each an operation."""

    moves: Moves
    audits: list[Audit]
    borne: list[float]
    """mm of chip that a tooth bears."""
    seconds: list[float]
    """How long proving took."""

    def stands_for(self, moves: Moves) -> bool:
        """Whether moves go the very same way at the very same feeds."""
        alike = ("start", "kind", "end", "centre", "feed", "operation", "z_level")
        return all(np.array_equal(getattr(self.moves, n), getattr(moves, n), equal_nan=True) for n in alike)


def prove(job: Job, bites: list[Bite], read: Moves, tick: Tick, times: int = TIMES) -> Proved:
    """Run the moves of a program that was read back, and measure them, feeds brought down where they have to be, up to
    so many times."""
    settings = ProofSettings(
        tolerances.PROOF_CELL, tolerances.PROOF_STEP, tolerances.PROOF_WINDOW, tolerances.GOUGE, tolerances.CHORD,
        spacing(read),
    )  # fmt: skip
    parts = [renumbered(read, index) for index in range(len(bites))]
    stock, finer = _maps_for(job, bites, [own for own, _ in parts])
    feed = read.feed.copy()
    audits, bearing, seconds, gone = [], [], [], list[Gone]()
    for index, (operation, bite, (own, at)) in enumerate(zip(job.operations, bites, parts, strict=True)):
        began = time.perf_counter()

        def told(share: float, index: int = index, name: str = operation.name) -> None:
            tick(name, (index + share) / len(bites))

        borne = borne_chip(case_for(job, operation), bite)
        # Moves at the bite's own feed are read as written, which may be half a mm/min more.
        fed = written_feed(bite.feed)
        teeth = bite.speed * job.tool(operation.tool).flutes
        later = index + 1 < len(bites)
        ran = run_operation(stock, job, operation, own, bite.ap, settings, told, later, fed)
        give_back_small()
        as_fed = partial(
            measured, job=job, operation=operation, target=bite.ae, ap=bite.ap, settings=settings, feed=fed,
            teeth_a_minute=teeth, borne=borne,
        )  # fmt: skip
        moves, audit = own, as_fed(ran, moves=own)
        gone.append(Gone(operation, own, ran.step))
        if stock.coarser > 1.0 and len(places := beyond(audit.trace, bite.ae)):
            window = settings.window * job.tool(operation.tool).diameter / 2
            # Of a long program what was drawn takes as much memory as what is run again.
            del audit
            ran = looked_at_again(ran, gone, job, finer(), places, window, settings.drawn, told)
            audit = as_fed(ran, moves=own)
        for _ in range(times):
            if not too_thick(audit, borne):
                break
            moves = slower.slowed(moves, audit.bearable)
            audit = as_fed(ran, moves=moves)
        feed[at] = moves.feed
        audits.append(audit)
        bearing.append(borne)
        # Of a long program they are large: they go before the next operation is run.
        del ran, as_fed
        seconds.append(time.perf_counter() - began)
    return Proved(replace(read, feed=feed), audits, bearing, seconds)


def _maps_for(job: Job, bites: list[Bite], moves: list[Moves]) -> tuple[Stock, Callable[[], Stock]]:
    """The map of the stock, in each place as fine as the operations ask for that work there, unless that were too many
    cells; and one that is so fine in any case."""
    asked = []
    for operation, bite, own in zip(job.operations, bites, moves, strict=True):
        radius = job.tool(operation.tool).diameter / 2
        cell = min(tolerances.PROOF_CELL * radius, bite.ae / tolerances.PROOF_BITE_CELLS)
        asked.append(Asked(own, radius, cell))
    coarsest = max(one.cell for one in asked)
    finer = partial(Stock, job, coarsest, tolerances.CHORD, asked=asked)
    return finer(most_cells=tolerances.PROOF_MOST_CELLS), finer
