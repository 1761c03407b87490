"""Every named tolerance of the core, each explained. Passed in, never read in a kernel."""

CHORD = 0.002
"""mm: how far a chord may be from the drawing's arc or spline."""

JOIN = 0.02
"""mm: ends of drawing entities closer than this are one point."""

WALL_SNAP = 0.0012
"""Share of R: extra distance from walls, for the fields' interpolation error there."""

WALL_SNAP_TOLERANCE = 0.6
"""But no more than this share of the path tolerance: of a wide cutter it would be left over along all walls. The
fields' cells are made so fine that it is enough."""

FIT_SHARE = 0.4
"""Share of an operation's path tolerance that line and arc fitting may use."""

FIT_BITE_SHARE = 0.002
"""Share of the radial depth that fitting may use, so that the bite keeps within a per cent."""

FIT_NEXT_SHARE = 0.02
"""Share of the least bite of the operations that follow: what they find is told by the passes, not by what was fitted
to them, and 0.008 mm are a twelfth of a bite of 0.1 mm."""

FIT_MOST = 0.008
"""mm: and no more than that, less than a gouge: wide bites with a wide tolerance were fitted into walls."""

PROOF_CELL = 1 / 120
"""Share of R: cell of the proof's height map. At 1/60 the counting of cells alone made the 99.9th percentile
1.7 % larger than at 1/150; at 1/100 it adds 0.3 %."""

PROOF_BITE_CELLS = 36
"""Cells to the radial depth, at least: a coarser map would see its own cells as load."""

PROOF_MOST_CELLS = 1_500_000_000
"""Cells of the proof's height map, at most: a very large part is proved on a coarser one, to spare time. A plate of
600 x 400 mm cut with 5 % of a 6 mm cutter asks for 3500 million and shows 1.026 of its bite then (99.9 % 1.006), with
these 1.041 (1.011), with a third of them 1.088 (1.035)."""

PROOF_STEP = 1 / 20
"""Share of R: step of the proof's replay."""

PROOF_WINDOW = 0.25
"""Share of R: length over which the proof averages what was removed, to even out its cells."""

GOUGE = 0.01
"""mm: how far into a wall or below a floor a cut counts as a gouge."""

UNREACHED_AREA = 0.05
"""Share of R squared: corners smaller than this that the cutter cannot reach are not reported."""

ENTRY_CLEAR = 0.05
"""Share of R: gap kept between a cutter that comes down at rapid and what stands."""

CHORD_FILM = 0.001
"""Share of R by which arcs made of chords may differ in what an operation leaves and what the next one finds."""

REST_FILM = 0.01
"""Share of the earlier cutter's R: what it left on a wall thinner than that is no work for the next."""
REST_FILM_BITE = 0.02
"""Share of the next one's bite: what it may leave out of account where it cuts, at most."""

TRAVEL_ABOVE = 10.0
"""mm above the stock: travel height when the job gives none."""
