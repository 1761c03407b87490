"""Findings: what the app noticed, as data. Not exceptions: the work goes on.

One registry of codes, so that drawing, list, command line and sheet show the same thing.
"""

from dataclasses import asdict, dataclass
from typing import Any

CODES: dict[str, tuple[str, str]] = {
    "part.open-chain": ("warning", "Close the gap in the drawing, or raise the joining tolerance."),
    "part.skipped-entity": ("note", "Explode it into lines, arcs or polylines if it is an outline."),
    "part.self-crossing": ("error", "Mend the outline in the drawing."),
    "part.units-unknown": ("warning", "Say whether the drawing is in millimetres or inches."),
    "part.no-thickness": ("warning", "Check the part where it was drawn."),
    "part.not-closed": ("warning", "Mend the mesh, or go on if the holes are not where it is cut."),
    "part.turned-facets": ("note", "Turned round while reading; check the part in the drawing."),
    "part.other-format": ("note", "Rename it, so that nobody is misled."),
    "part.stands": ("note", "Give it an area, above a slope slices; or leave it to the drill and to later operations."),
    "area.moved": ("warning", "Look at it in the drawing; plan anew."),
    "area.vanished": ("warning", "Take it out of the job, or pick its area anew."),
    "area.new": ("note", "Accept it if it is to be cut."),
    "area.keep-out": ("warning", "Move the clamp, or cut the rest in another setup."),
    "area.no-entry": ("error", "Take a smaller cutter, or leave less on the walls."),
    "area.put-off": ("note", "There is nothing to do if that operation is run too."),
    "area.unreached": ("warning", "Clear it afterwards with a smaller cutter."),
    "area.no-rest": ("note", "Take the area out of the operation, or give a smaller cutter or allowance."),
    "area.outside-stock": ("warning", "Check the stock or the depth of the area."),
    "area.order": (
        "error", "Do not run the program; put that operation before this one, or the area above into this one."
    ),
    "area.from-stock-top": ("note", "Accept the area above it, if that is to be cut with a bite of its own."),
    "area.from-top": ("note", "Put it into an operation before theirs, if it is to be cut first."),
    "area.open-into-stock": (
        "warning", "Close that edge, give the area that is cut before it, or make the stock as it comes."
    ),
    "area.left-over": ("warning", "Look at the place in the drawing; plan again with a finer tolerance."),
    "entry.drilled": ("warning", "Drill it, its point not counted in that depth, before this program is run."),
    "entry.hole": ("warning", "Make it wider, move it, or take it out."),
    "entry.spare-hole": ("note", "Spare the drilling; where another hole is used instead, try it without that one."),
    "entry.ramp": ("note", "The helix does not fit; a pre-drilled hole would be quicker."),
    "entry.wish": ("warning", "Give another start or another way in."),
    "entry.steep": ("warning", "Pre-drill, or take a smaller cutter."),
    "bite.over-ceiling": ("error", "Unpin the value, or lower it until no ceiling is broken."),
    "bite.rubs": ("warning", "Feed faster or take a cutter with fewer flutes."),
    "rule.allowance": ("warning", "Leave more on, or plan with a finer tolerance."),
    "rule.spindle": ("note", "A larger cutter or a faster spindle uses the edge better."),
    "rule.corner-radius": ("note", "Take it off when finishing."),
    "rule.tool-number": ("warning", "Number the cutters in sequence."),
    "rule.approach-gap": ("warning", "Give a larger approach gap, so that the rapid ends above what stands."),
    "rule.pre-drill": ("note", "Have it drilled before, and say so; then plan anew."),
    "rule.return-feed": ("note", "Take the pin off the return feed, or give it more than the cutting feed."),
    "rule.by-depth": ("note", "Share its areas out by depth."),
    "rule.way-back": ("note", "Let it, if the machine has no play and the work bears conventional cuts."),
    "rule.shank": ("note", "Take a cutter whose shank is ground back, or one with longer flutes."),
    "rule.curves": ("note", "A larger bite makes wider curves; a stiffer machine holds them quicker."),
    "proof.thick-chip": (
        "error", "Do not run the program; lower the return feed, or let the feed no longer follow the bite."
    ),
    "proof.held": ("note", "There is nothing to do; its minutes and its loads are told of the new path."),
    "proof.slowed": ("note", "There is nothing to do; the minutes are told with these feeds."),
    "proof.entry-load": ("error", "Do not run the program; choose another way in, or a smaller ramp angle."),
    "proof.over-bite": ("error", "Do not run the program; plan again with a smaller bite."),
    "proof.gouge": ("error", "Do not run the program."),
    "proof.rapid-in-stock": ("error", "Do not run the program."),
    "proof.holder": (
        "error", "Do not run the program; clamp the cutter longer, take a slimmer holder, or cut less deep with it."
    ),
    "proof.holder-room": (
        "warning", "Say how wide the holder is; clamp the cutter longer if it is wider than that."
    ),
    "proof.into-part": ("error", "Do not run the program; look at the areas and their open edges there."),
}  # fmt: skip
"""Code -> (severity, hint)."""


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing noticed: what (`sentence`), where (operation, area, x, y, z in mm), what to do."""

    code: str
    sentence: str
    operation: str = ""
    area: str = ""
    x: float | None = None
    y: float | None = None
    z: float | None = None
    size: float | None = None

    def __post_init__(self) -> None:
        if self.code not in CODES:
            raise ValueError(f"finding code {self.code!r} is not in the registry")

    @property
    def severity(self) -> str:
        """ "error", "warning" or "note"."""
        return CODES[self.code][0]

    @property
    def hint(self) -> str:
        return CODES[self.code][1]

    def as_dict(self) -> dict[str, Any]:
        """For the report: all fields, with severity and hint."""
        return {**asdict(self), "severity": self.severity, "hint": self.hint}
