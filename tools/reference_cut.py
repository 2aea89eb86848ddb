#!/usr/bin/env python3
"""Cuts an assembly of rounded plates and pins with the textbook quadric of libigl and with Ectome, in one run, and judges both alike.

    pip install numpy libigl
    tools/reference_cut.py target/release/ectome [PERCENT]

Every plate has a chart on each of its six sides, every pin one chart whose poles are fans, as an unwrapped assembly has. Ectome keeps
all of them; the textbook quadric (M. Garland, P. Heckbert, *Surface Simplification Using Quadric Error Metrics*, 1997, with the best
place for each point) knows no UVs and gets the welded surface.
"""
import json
import os
import subprocess
import sys
import tempfile
import time

import igl
import numpy as np


def plate(size, radius, n, cell):
    """A rounded box of n × n quads a side, denser towards its edges."""
    t = np.linspace(-1, 1, n + 1)
    t = np.sign(t) * np.abs(t) ** 0.8
    a, b = np.meshgrid(t, t, indexing="ij")
    half = np.array(size) / 2
    i, j = np.meshgrid(np.arange(n), np.arange(n), indexing="ij")
    corner = i * (n + 1) + j
    out = []
    for side in range(6):
        axis, sign = side // 2, 1 - 2 * (side % 2)
        place = np.zeros(a.shape + (3,))
        place[..., axis], place[..., (axis + 1) % 3], place[..., (axis + 2) % 3] = sign, a * sign, b
        place = (place * half).reshape(-1, 3)
        core = np.clip(place, radius - half, half - radius)
        off = place - core
        place = core + off / np.maximum(np.linalg.norm(off, axis=1, keepdims=True), 1e-12) * radius
        uv = np.stack([(a + 1) / 2, (b + 1) / 2], -1).reshape(-1, 2) * 0.94 + 0.03
        uv = (uv + [side % 3, side // 3]) / [3, 2]
        quads = [[corner, corner + n + 1, corner + n + 2], [corner, corner + n + 2, corner + 1]]
        faces = np.concatenate([np.stack(q, -1).reshape(-1, 3) for q in quads])
        # The same bits where sides meet.
        out.append((np.round(place * 2**20) / 2**20, uv * cell[2] + cell[:2], faces))
    return out


def pin(radius, height, segments, rings, cell):
    """A turned pin: flat foot, cylinder, chamfer, dome."""
    profile = [(0, 0), (radius, 0)]
    profile += [(radius, height * 0.6 * k / rings) for k in range(1, rings + 1)]
    profile += [(radius * (1 - 0.18 * k / rings), height * (0.6 + 0.25 * k / rings)) for k in range(1, rings + 1)]
    turn = np.pi / 2 * np.arange(1, 2 * rings + 1) / (2 * rings)
    profile = np.concatenate([profile, np.stack([0.82 * radius * np.cos(turn), height * (0.85 + 0.15 * np.sin(turn))], -1)])
    profile[-1, 0] = 0
    angle = np.linspace(0, 2 * np.pi, segments + 1)
    x, y = profile[:, :1] * np.cos(angle), profile[:, :1] * np.sin(angle)
    x[:, -1], y[:, -1] = x[:, 0], y[:, 0]
    place = np.stack([x, y, np.repeat(profile[:, 1:], segments + 1, 1)], -1).reshape(-1, 3)
    length = np.r_[0, np.cumsum(np.linalg.norm(np.diff(profile, axis=0), axis=1))]
    uv = np.stack(np.meshgrid(angle / (2 * np.pi), length / length[-1]), -1).reshape(-1, 2) * 0.96 + 0.02
    i, j = np.meshgrid(np.arange(len(profile) - 1), np.arange(segments), indexing="ij")
    corner, width = i * (segments + 1) + j, segments + 1
    first = np.stack([corner, corner + 1, corner + width + 1], -1)[1:].reshape(-1, 3)
    second = np.stack([corner, corner + width + 1, corner + width], -1)[:-1].reshape(-1, 3)
    return [(place, uv * cell[2] + cell[:2], np.concatenate([first, second]))]


def assembly():
    random = np.random.default_rng(5)
    cells = iter([np.array([x / 8, y / 8, 1 / 8]) for y in range(8) for x in range(8)])
    pieces = []

    def add(made, at):
        pieces.extend((place + at, uv, faces) for place, uv, faces in made)

    for y in range(3):
        for x in range(4):
            a = random.random(3) * 0.4
            at = np.array([x * 1.2, y * 1.0, 0.2 * random.random()])
            size = (1 - a[0] * 0.5, 0.8 - a[1] * 0.5, 0.12 + a[2] * 0.3)
            add(plate(size, 0.03 + 0.02 * random.random(), 50, next(cells)), at)
            for sx in (-0.3, 0.3):
                for sy in (-0.2, 0.2):
                    height = 0.05 + 0.05 * random.random()
                    add(pin(0.045, height, 96, 4, next(cells)), at + [sx, sy, 0.055 + a[2] * 0.15])
    add(plate((5, 3.2, 0.2), 0.05, 50, next(cells)), [1.8, 1, -0.3])
    starts = np.cumsum([0] + [len(place) for place, _, _ in pieces])
    return (
        np.concatenate([place for place, _, _ in pieces]).astype(np.float32),
        np.concatenate([uv for _, uv, _ in pieces]),
        np.concatenate([faces + start for (_, _, faces), start in zip(pieces, starts)]),
    )


def write(path, places, faces, uvs=None):
    with open(path, "w") as out:
        out.writelines("v %.9g %.9g %.9g\n" % tuple(p) for p in places)
        if uvs is None:
            out.writelines("f %d %d %d\n" % tuple(f) for f in faces + 1)
        else:
            out.writelines("vt %.9g %.9g\n" % tuple(uv) for uv in uvs)
            out.writelines("f %d/%d %d/%d %d/%d\n" % tuple(np.repeat(f, 2)) for f in faces + 1)


def main():
    ectome, percent = sys.argv[1], float(sys.argv[2]) if len(sys.argv) > 2 else 1.0
    places, uvs, faces = assembly()
    target = int(len(faces) * percent / 100)
    with tempfile.TemporaryDirectory() as folder:
        source, textbook, ours = (os.path.join(folder, f"{name}.obj") for name in ("source", "textbook", "ours"))
        write(source, places, faces, uvs)
        welded, number = np.unique(places, axis=0, return_inverse=True)
        solid = number.ravel()[faces]
        whole = (solid[:, 0] != solid[:, 1]) & (solid[:, 1] != solid[:, 2]) & (solid[:, 2] != solid[:, 0])
        started = time.process_time()
        made = igl.qslim(welded.astype(float), solid[whole].astype(np.int64), target, False)
        seconds = time.process_time() - started
        tables = [a for a in made if getattr(a, "ndim", 0) == 2 and a.shape[1] == 3]
        write(textbook, next(a for a in tables if a.dtype.kind == "f"), next(a for a in tables if a.dtype.kind == "i"))
        started = time.time()
        subprocess.run([ectome, "cut", source, "--to", str(target), "-o", ours], check=True, stdout=subprocess.DEVNULL)
        print(f"{len(faces)} triangles to {target}: textbook {seconds:.1f} s, ours {time.time() - started:.1f} s with reading and measuring")
        found = {}
        for name, path in (("textbook", textbook), ("ours", ours)):
            found[name] = json.loads(subprocess.check_output([ectome, "compare", source, path, "--json"]))
        for figure in ("deviation_mean_percent_of_diagonal", "deviation_max_percent_of_diagonal"):
            was, now = found["textbook"][figure], found["ours"][figure]
            print(f"{figure}: textbook {was:.6f}, ours {now:.6f}, ratio {now / was:.3f}")
        print(f"outlines of charts at most {found['ours']['seam_drift_max_texels']:.1f} texels off, mean {found['ours']['seam_drift_mean_texels']:.2f}")


if __name__ == "__main__":
    main()
