"""Writes a kit-bash and its exact union, for measuring skins against it.

    python3 reference_union.py DIR [DETAIL]

Needs manifold3d and numpy from the Python package index. In DIR appear kit.obj (ten closed pieces run into one another, two of
them inside out, two buried), torn.obj (the same with holes and a slit, and an open sheet beside it), cube.obj, window.obj and wedge.obj
(a cube, a box with a window and a wedge of 30 degrees, all turned askew), each with <name>_union.obj as it should come out, and
union.json with the volumes, areas and genera of these. DETAIL (default 1) multiplies the pieces' segments. Then:

    ectome rebuild kit.obj --detail MM -o skin.glb; ectome compare kit_union.obj skin.glb --json
"""

import json
import sys
from pathlib import Path

import manifold3d as m3
import numpy as np


def mesh_of(solid):
    mesh = solid.to_mesh()
    return np.asarray(mesh.vert_properties)[:, :3], np.asarray(mesh.tri_verts)


def torus(ring, tube, detail):
    circle = m3.CrossSection.circle(tube, 48 * detail).translate((ring, 0))
    return circle.revolve(160 * detail)


def pieces(detail):
    ball = lambda r, n: m3.Manifold.sphere(r, n * 4 * detail)
    box = lambda *s: m3.Manifold.cube(s, True).refine(16 * detail)
    rod = lambda h, r, n: m3.Manifold.cylinder(h, r, r, n * detail, True).refine(3 * detail)
    return [
        ("hull", ball(1.0, 48), 1),
        ("beam", box(3.2, 0.35, 0.4).rotate((11, 23, 7)), -1),
        ("post", rod(3.0, 0.3, 64).rotate((31, 12, 0)), 1),
        ("ring", torus(1.05, 0.16, detail).rotate((17, 5, 0)), 1),
        ("dome", ball(0.55, 40).translate((0.8, 0.6, 0.3)), 1),
        ("crate", box(0.9, 0.9, 0.9).rotate((20, 40, 10)).translate((-0.8, -0.6, 0.2)), -1),
        ("cone", m3.Manifold.cylinder(1.4, 0.6, 0.1, 96 * detail).rotate((200, 15, 0)).translate((0.2, 0.1, -0.4)), 1),
        ("plate", box(1.8, 1.2, 0.12).rotate((5, 70, 20)).translate((0.3, -0.7, 0.1)), 1),
        ("ballast", ball(0.3, 24).translate((0.1, 0.1, 0.0)), 1),
        ("core", box(0.5, 0.3, 0.4).translate((-0.2, 0.1, 0.1)), 1),
    ]


def write(path, parts):
    with open(path, "w") as out:
        base = 1
        for name, points, faces in parts:
            out.write(f"o {name}\n")
            out.writelines("v %.9g %.9g %.9g\n" % tuple(p) for p in points)
            out.writelines("f %d %d %d\n" % tuple(f + base) for f in faces)
            base += len(points)


def torn(name, points, faces):
    middles = points[faces].mean(axis=1)
    keep = np.ones(len(faces), bool)
    if name == "hull":
        way = middles / np.linalg.norm(middles, axis=1)[:, None]
        for hole, size in [((-0.4, 0.5, 0.77), 0.985), ((0.1, -0.55, -0.83), 0.992)]:
            hole = np.array(hole) / np.linalg.norm(hole)
            keep &= way @ hole < size
    if name == "dome":
        keep &= ~((abs(middles[:, 1] - 0.75) < 0.012) & (middles[:, 2] > 0.4))
    return points, faces[keep]


def main():
    folder, detail = Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 1
    folder.mkdir(parents=True, exist_ok=True)
    kit = pieces(detail)
    union = m3.Manifold.batch_boolean([p for _, p, _ in kit], m3.OpType.Add)
    askew = lambda solid: solid.rotate((21, 42, 15))
    window = m3.Manifold.cube((1.4, 1.0, 0.5), True) - m3.Manifold.cube((0.6, 0.4, 2.0), True)
    wedge = m3.CrossSection([[(0, 0), (1.2, 0), (1.2, 1.2 * np.tan(np.pi / 6))]]).extrude(0.8)
    solids = {
        "kit": union,
        "torn": union,
        "cube": askew(m3.Manifold.cube((1, 1, 1), True)),
        "window": askew(window),
        "wedge": askew(wedge),
    }
    figures = {}
    for name, solid in solids.items():
        points, faces = mesh_of(solid)
        write(folder / f"{name}_union.obj", [(name, points, faces)])
        figures[name] = {
            "volume_m3": solid.volume(), "area_m2": solid.surface_area(), "genus": solid.genus(),
            "components": len(solid.decompose()), "triangles": len(faces),
        }
        if name not in ("kit", "torn"):
            write(folder / f"{name}.obj", [(name, points, faces)])
    whole = [(name, *mesh_of(solid), side) for name, solid, side in kit]
    turned = lambda faces, side: faces if side > 0 else faces[:, ::-1]
    write(folder / "kit.obj", [(n, p, turned(f, s)) for n, p, f, s in whole])
    sheet = np.array([(-1.6, 1.3, 0), (-0.9, 1.3, 0.2), (-0.9, 1.9, 0.1), (-1.6, 1.9, 0)])
    parts = [(n, *torn(n, p, turned(f, s))) for n, p, f, s in whole]
    write(folder / "torn.obj", parts + [("flag", sheet, np.array([(0, 1, 2), (0, 2, 3)]))])
    (folder / "union.json").write_text(json.dumps(figures, indent=1))
    print(json.dumps(figures, indent=1))


main()
