#!/usr/bin/env python3
"""Rays towards a source by Embree and by Ectome, one core, one after the other.

    pip install numpy embreex trimesh
    tools/reference_rays.py target/release/ectome

A sheet of waves of a million triangles, and a flat low mesh under it. Both cast 16.8 million rays straight down from the same
height, in squares of 16 × 16 texels; they differ in that Ectome goes on to the nearest front face near the low surface where the first
that is met is none. Ectome's seconds are those of its searches alone: the share of them that `perf record` finds in `nearest_wide` and
`first_front` (Linux, `perf` installed).
"""
import json
import os
import re
import struct
import subprocess
import sys
import tempfile
import time

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh

SIDE, HEIGHT, REACH = 707, 0.01, 0.05
TEXELS, ACROSS = 2048, 2


def sheet(n, height):
    """Places, UVs and triangles of waves over the unit square."""
    u, v = np.meshgrid(np.linspace(0, 1, n + 1, dtype=np.float32), np.linspace(0, 1, n + 1, dtype=np.float32))
    y = height * (np.sin(40 * u) * np.sin(40 * v) + 0.3 * np.sin(170 * u * v))
    places = np.stack([u, y, v], -1).reshape(-1, 3).astype("<f4")
    j, i = np.meshgrid(np.arange(n), np.arange(n), indexing="ij")
    a = j * (n + 1) + i
    b, c, d = a + 1, a + n + 2, a + n + 1
    faces = np.stack([a, d, c, a, c, b], -1).reshape(-1, 3).astype("<u4")
    return places, np.stack([u, v], -1).reshape(-1, 2).astype("<f4"), faces


def write(path, places, uvs, faces):
    """As a GLB."""
    blob = places.tobytes() + uvs.tobytes() + faces.tobytes()
    lengths = [places.nbytes, uvs.nbytes, faces.nbytes]
    starts = np.cumsum([0] + lengths[:-1]).tolist()
    bounds = {"min": places.min(0).tolist(), "max": places.max(0).tolist()}
    doc = {
        "asset": {"version": "2.0"},
        "buffers": [{"byteLength": len(blob)}],
        "bufferViews": [{"buffer": 0, "byteOffset": s, "byteLength": n} for s, n in zip(starts, lengths)],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": len(places), "type": "VEC3", **bounds},
            {"bufferView": 1, "componentType": 5126, "count": len(uvs), "type": "VEC2"},
            {"bufferView": 2, "componentType": 5125, "count": faces.size, "type": "SCALAR"},
        ],
        "meshes": [{"name": "sheet", "primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2}]}],
        "nodes": [{"mesh": 0, "name": "sheet"}],
        "scenes": [{"nodes": [0]}],
        "scene": 0,
    }
    text = json.dumps(doc).encode()
    text += b" " * (-len(text) % 4)
    with open(path, "wb") as out:
        out.write(struct.pack("<III", 0x46546C67, 2, 20 + len(text) + 8 + len(blob)))
        out.write(struct.pack("<II", len(text), 0x4E4F534A) + text)
        out.write(struct.pack("<II", len(blob), 0x004E4942) + blob)


def embree(places, faces):
    """Million rays a CPU-second, the middle of three goes."""
    scene = rtcore_scene.EmbreeScene()
    TriangleMesh(scene, places[faces.astype(np.int32)])
    m = TEXELS * ACROSS
    k = np.arange(1024)
    x, y = np.zeros_like(k), np.zeros_like(k)
    for bit in range(5):
        x |= (k >> (2 * bit) & 1) << bit
        y |= (k >> (2 * bit + 1) & 1) << bit
    squares = [np.stack([bx + x, by + y], -1) for by in range(0, m, 32) for bx in range(0, m, 32)]
    at = (np.concatenate(squares).astype(np.float32) + 0.5) / m
    origins = np.stack([at[:, 0], np.full(len(at), REACH, np.float32), at[:, 1]], -1)
    down = np.tile(np.array([0, -1, 0], np.float32), (len(at), 1))
    scene.run(origins[:1000], down[:1000])
    seconds = []
    for _ in range(3):
        started = time.process_time()
        scene.run(origins, down)
        seconds.append(time.process_time() - started)
    return len(at) / 1e6 / sorted(seconds)[1]


def ours(ectome, folder):
    """The same of a bake of positions, which casts a ray a sample and does little else."""
    record, out = os.path.join(folder, "perf.data"), os.path.join(folder, "out")
    bake = [ectome, "bake", f"{folder}/high.glb", f"{folder}/low.glb", "--maps", "position", "--size", str(TEXELS)]
    bake += ["--samples", str(ACROSS * ACROSS), "--reach", str(REACH * 1e3), "-o", out]
    alone = {**os.environ, "RAYON_NUM_THREADS": "1"}
    subprocess.run(["perf", "record", "-q", "-F", "499", "-o", record, *bake], env=alone, check=True, stdout=subprocess.DEVNULL)
    said = subprocess.check_output(["perf", "report", "-i", record, "--no-children", "-F", "sample,symbol"], text=True, stderr=subprocess.DEVNULL)
    lines = re.findall(r"^\s*(\d+)\s+\[.\]\s+(.*)$", said, re.M)
    searches = sum(int(n) for n, symbol in lines if "nearest_wide" in symbol or "first_front" in symbol)
    rays = json.load(open(os.path.join(out, "bake.json")))["rays"]
    return rays / 1e6 / (searches / 499)


def main():
    ectome = sys.argv[1]
    places, uvs, faces = sheet(SIDE, HEIGHT)
    with tempfile.TemporaryDirectory() as folder:
        write(f"{folder}/high.glb", places, uvs, faces)
        write(f"{folder}/low.glb", *sheet(1, 0.0))
        reference, own = embree(places, faces), ours(ectome, folder)
    print(f"million rays a CPU-second: Embree {reference:.2f}, ours {own:.2f}, ratio {own / reference:.2f}")


if __name__ == "__main__":
    main()
