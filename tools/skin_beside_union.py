"""How far a skin is off the exact union, and how many of its triangles nobody sees.

Usage: python3 tools/skin_beside_union.py SKIN.obj UNION.obj

Needs numpy, trimesh, libigl (distances) and embreex (rays). Distances are of 300 000 places spread by area each way, in percent of the
union's diagonal: mean, 99.9 %, largest. A triangle is seen where one of 256 rays from its middle, of those that look out of its front, is
free.
"""

import sys

import igl
import numpy as np
import trimesh
from trimesh.ray.ray_pyembree import RayMeshIntersector

PLACES = 300_000
RAYS = 256


def off(source, target, diagonal):
    places, _ = trimesh.sample.sample_surface(source, PLACES, seed=1)
    vertices, faces = np.asarray(target.vertices, float), np.asarray(target.faces, np.int64)
    squared, _, _ = igl.point_mesh_squared_distance(np.asarray(places, float), vertices, faces)
    percent = np.sqrt(squared) / diagonal * 100
    return percent.mean(), np.percentile(percent, 99.9), percent.max()


def unseen(mesh, diagonal):
    middles, normals = mesh.triangles_center, mesh.face_normals
    starts = middles + normals * diagonal * 1e-6
    rays = RayMeshIntersector(mesh)
    directions = np.random.default_rng(1).normal(size=(RAYS, 3))
    directions /= np.linalg.norm(directions, axis=1)[:, None]
    is_seen = np.zeros(len(middles), bool)
    for direction in directions:
        asked = np.nonzero(~is_seen & (normals @ direction > 0))[0]
        if len(asked):
            stopped = rays.intersects_any(starts[asked], np.tile(direction, (len(asked), 1)))
            is_seen[asked[~stopped]] = True
    return (~is_seen).sum()


def main():
    skin, union = (trimesh.load(path, process=False, force="mesh") for path in sys.argv[1:3])
    diagonal = np.linalg.norm(union.bounds[1] - union.bounds[0])
    print("skin to union: %.4f %.4f %.4f %%" % off(skin, union, diagonal))
    print("union to skin: %.4f %.4f %.4f %%" % off(union, skin, diagonal))
    for name, mesh in (("skin", skin), ("union", union)):
        hidden = unseen(mesh, diagonal)
        print("%s: %d of %d triangles unseen (%.3f %%)" % (name, hidden, len(mesh.faces), 100 * hidden / len(mesh.faces)))


main()
