"""What the material above a height covers, seen from above.

Along any vertical line the topmost material lies on a face that looks up. So the shadow of all
that stands above z is the union of the upward triangles, each cut off at z. Neighbouring
triangles share their corners: a connected sheet of them is a coverage, and quick to unite.
"""

from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse import csgraph
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import without_seams

HAIR = 1e-5
"""mm: heights that agree so far are one; also what a shadow is cleaned by."""


def shadow(vertices: NDArray[np.float64], triangles: NDArray[np.int32], z: float) -> BaseGeometry:
    """The plane area above which material stands higher than `z` (mm)."""
    up = _upward(vertices, triangles).astype(np.int64)
    heights = vertices[up, 2]
    high = heights.max(axis=1) > z + HAIR
    whole = heights.min(axis=1) >= z - HAIR
    points, cut = _clipped(vertices, up[high & ~whole], z)
    return united(points[:, :2], np.concatenate([up[high & whole], cut]))


def _upward(vertices: NDArray[np.float64], triangles: NDArray[np.int32]) -> NDArray[np.int32]:
    """Triangles that look up, by their area seen from above."""
    a, b, c = (vertices[triangles[:, k], :2] for k in range(3))
    across = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
    longest = np.maximum.reduce([((b - a) ** 2).sum(1), ((c - a) ** 2).sum(1), ((c - b) ** 2).sum(1)])
    return triangles[across > 1e-9 * np.maximum(longest, 1e-12)]


def _clipped(vertices: NDArray[np.float64], t: NDArray[np.int64],
             z: float) -> tuple[NDArray[np.float64], NDArray[np.int64]]:  # fmt: skip
    """The part above `z` of triangles that cross it: all points with the new ones, and the triangles.

    Neighbours share the new points, one for each edge that crosses.
    """
    if len(t) == 0:
        return vertices, t
    up = vertices[t, 2] > z + HAIR
    pieces = []
    for count in (1, 2):
        rows = up.sum(axis=1) == count
        # Turn each so that the corner that is alone on its side comes first.
        alone = np.argmax(up[rows] if count == 1 else ~up[rows], axis=1)
        pieces.append(np.take_along_axis(t[rows], (alone[:, None] + np.arange(3)) % 3, axis=1))
    one, two = pieces
    edges = np.sort(np.concatenate([one[:, [0, 1]], one[:, [0, 2]], two[:, [0, 1]], two[:, [0, 2]]]), axis=1)
    keys, index = np.unique(edges[:, 0] * len(vertices) + edges[:, 1], return_inverse=True)
    p, q = vertices[keys // len(vertices)], vertices[keys % len(vertices)]
    share = np.clip((z - p[:, 2]) / (q[:, 2] - p[:, 2]), 0.0, 1.0)
    new = index + len(vertices)
    ab1, ac1, ab2, ac2 = np.split(new, np.cumsum([len(one), len(one), len(two)]))
    cut = [
        np.column_stack([one[:, 0], ab1, ac1]),
        np.column_stack([ab2, two[:, 1], two[:, 2]]),
        np.column_stack([ab2, two[:, 2], ac2]),
    ]
    return np.vstack([vertices, p + share[:, None] * (q - p)]), np.concatenate(cut)


def united(points: NDArray[np.float64], t: NDArray[np.int64]) -> BaseGeometry:
    """The union of triangles t (m, 3) of points (n, 2), all counterclockwise."""
    t = t[_areas(points, t) > 1e-14]
    if len(t) == 0:
        return shapely.Polygon()
    sheet = sheets(t, len(points))
    order = np.argsort(sheet, kind="stable")
    starts = np.searchsorted(sheet[order], np.arange(int(sheet.max()) + 2))
    pieces = [_sheet_union(points, t[order[a:b]]) for a, b in pairwise(starts)]
    whole = shapely.union_all([g if g.is_valid else g.buffer(0) for g in pieces], grid_size=1e-6)
    return without_seams(whole, HAIR)


def _sheet_union(points: NDArray[np.float64], t: NDArray[np.int64]) -> BaseGeometry:
    """The union of one connected sheet of triangles, all counterclockwise: what its border encloses."""
    if len(t) == 1:
        return shapely.Polygon(points[t[0]])
    sides = np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]])
    key = np.minimum(*sides.T) * len(points) + np.maximum(*sides.T)
    order = np.argsort(key)
    same = key[order[1:]] == key[order[:-1]]
    border = sides[order[~(np.concatenate([same, [False]]) | np.concatenate([[False], same]))]]
    known = {(a, b) for a, b in border.tolist()}
    ends = {tuple(p): k for k, p in zip(np.unique(border), points[np.unique(border)].tolist(), strict=True)}
    faces = shapely.get_parts(shapely.polygonize(shapely.linestrings(points[border])))
    inside = []
    for face in faces:
        ring = shapely.orient_polygons(face).exterior.coords
        a, b = ends[ring[0]], ends[ring[1]]
        if (a, b) in known:
            inside.append(face)
    area = float(_areas(points, t).sum())
    if inside and abs(sum(f.area for f in inside) - area) < 1e-6 * area + 1e-9:
        try:
            return shapely.union_all(inside)
        except shapely.errors.GEOSException:
            # A face whose border all but touches itself: faces that meet corner to corner are united as they are.
            return shapely.coverage_union_all(inside)
    # It folds over itself, or its triangles do not meet corner to corner: the slow way.
    return shapely.union_all(shapely.polygons(points[np.concatenate([t, t[:, :1]], axis=1)]), grid_size=1e-6)


def _areas(points: NDArray[np.float64], t: NDArray[np.int64]) -> NDArray[np.float64]:
    a, b, c = (points[t[:, k]] for k in range(3))
    return np.asarray(((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]) / 2)


def sheets(t: NDArray[np.int64], count: int) -> NDArray[np.int32]:
    """Number of the connected sheet that each triangle belongs to; `count` points."""
    sides = np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]])
    key = np.minimum(*sides.T) * count + np.maximum(*sides.T)
    order = np.argsort(key)
    owner = np.tile(np.arange(len(t)), 3)[order]
    same = key[order[1:]] == key[order[:-1]]
    links = sparse.coo_matrix((np.ones(int(same.sum())), (owner[:-1][same], owner[1:][same])), shape=(len(t), len(t)))
    return np.asarray(csgraph.connected_components(links, directed=False)[1])
