"""What the material above a height covers, seen from above.

Along any vertical line the topmost material lies on a face that looks up. So the shadow of all
that stands above z is the union of the upward triangles, each cut off at z. Neighbouring
triangles share their corners: a connected sheet of them is a coverage, and quick to unite.
"""

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse import csgraph
from shapely.geometry.base import BaseGeometry

HAIR = 1e-5
"""mm: heights that agree so far are one; also what a shadow is cleaned by."""


def shadow(vertices: NDArray[np.float64], triangles: NDArray[np.int32], z: float) -> BaseGeometry:
    """The plane area above which material stands higher than `z` (mm)."""
    flat = _upward(vertices, triangles)
    high = vertices[flat, 2].max(axis=1) > z + HAIR
    whole = vertices[flat, 2].min(axis=1) >= z - HAIR
    corners = vertices[flat[high & whole]]
    cut = _clipped(vertices[flat[high & ~whole]], z)
    return united(np.concatenate([corners, cut]) if len(cut) else corners)


def _upward(vertices: NDArray[np.float64], triangles: NDArray[np.int32]) -> NDArray[np.int32]:
    """Triangles that look up, by their area seen from above."""
    a, b, c = (vertices[triangles[:, k], :2] for k in range(3))
    across = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
    longest = np.maximum.reduce([((b - a) ** 2).sum(1), ((c - a) ** 2).sum(1), ((c - b) ** 2).sum(1)])
    return triangles[across > 1e-9 * np.maximum(longest, 1e-12)]


def _clipped(corners: NDArray[np.float64], z: float) -> NDArray[np.float64]:
    """The part above `z` of triangles (n, 3, 3) that cross it, as triangles."""
    if len(corners) == 0:
        return corners
    up = corners[:, :, 2] > z + HAIR
    out = []
    for count in (1, 2):
        rows = up.sum(axis=1) == count
        some = corners[rows]
        # Turn each so that the corner that is alone on its side comes first.
        alone = np.argmax(up[rows] if count == 1 else ~up[rows], axis=1)
        some = np.take_along_axis(some, ((alone[:, None] + np.arange(3)) % 3)[:, :, None], axis=1)
        a, b, c = some[:, 0], some[:, 1], some[:, 2]
        ab, ac = _crossing(a, b, z), _crossing(a, c, z)
        if count == 1:
            out.append(np.stack([a, ab, ac], axis=1))
        else:
            out += [np.stack([ab, b, c], axis=1), np.stack([ab, c, ac], axis=1)]
    return np.concatenate(out)


def _crossing(a: NDArray[np.float64], b: NDArray[np.float64], z: float) -> NDArray[np.float64]:
    """Where lines cross `z`; computed from the lower end, so that neighbours agree to the bit."""
    lower = (a[:, 2] < b[:, 2])[:, None]
    p, q = np.where(lower, a, b), np.where(lower, b, a)
    t = np.clip((z - p[:, 2]) / (q[:, 2] - p[:, 2]), 0.0, 1.0)
    return p + t[:, None] * (q - p)


def united(corners: NDArray[np.float64]) -> BaseGeometry:
    """The union of triangles (n, 3, 2 or 3) seen from above."""
    if len(corners) == 0:
        return shapely.Polygon()
    points = np.round(corners[:, :, :2].reshape(-1, 2), 7)
    unique, index = np.unique(points, axis=0, return_inverse=True)
    t = index.reshape(-1, 3)
    t = t[(t[:, 0] != t[:, 1]) & (t[:, 1] != t[:, 2]) & (t[:, 2] != t[:, 0])]
    sheet = _sheets(t)
    polygons = shapely.polygons(unique[np.concatenate([t, t[:, :1]], axis=1)])
    sheets = [_sheet_union(polygons[sheet == k]) for k in range(int(sheet.max()) + 1)]
    whole = shapely.union_all([g if g.is_valid else g.buffer(0) for g in sheets], grid_size=1e-6)
    return whole.buffer(HAIR, join_style="mitre").buffer(-HAIR, join_style="mitre")


def _sheet_union(polygons: NDArray[np.object_]) -> BaseGeometry:
    """The union of a sheet's triangles: as a coverage where it is one, else the slow way."""
    try:
        return shapely.coverage_union_all(polygons)
    except shapely.errors.GEOSException:
        return shapely.union_all(polygons, grid_size=1e-6)


def _sheets(t: NDArray[np.int64]) -> NDArray[np.int32]:
    """Number of the connected sheet that each triangle belongs to."""
    sides = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
    owner = np.tile(np.arange(len(t)), 3)
    order = np.lexsort((sides[:, 1], sides[:, 0]))
    sides, owner = sides[order], owner[order]
    same = (sides[1:] == sides[:-1]).all(axis=1)
    links = sparse.coo_matrix((np.ones(int(same.sum())), (owner[:-1][same], owner[1:][same])), shape=(len(t), len(t)))
    return np.asarray(csgraph.connected_components(links, directed=False)[1])
