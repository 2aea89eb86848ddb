#!/usr/bin/env python3
"""Unwraps GLB files with a reference library and with Ectome, in one run, and judges both alike.

    pip install xatlas numpy
    ectome demo -o demo; ectome cut demo/fog_bell.glb --to 10000 -o fog_bell_10000.glb   (and so on)
    tools/reference_unwrap.py target/release/ectome fog_bell_10000.glb:mechanical figurehead_10000.glb:soft

Both get 2048 texels and a padding of 8. The reference lays out a sheet of its own size; it is judged on a square of its longer
side. What has no area on the sheet is left out of the stretch of either.
"""
import json
import os
import struct
import subprocess
import sys
import tempfile
import time

import numpy as np
import xatlas

TYPES = {5126: np.float32, 5125: np.uint32, 5123: np.uint16, 5121: np.uint8}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}


def read(path):
    """Places and triangles of a GLB as Ectome writes them, in scene space."""
    data = open(path, "rb").read()
    length = struct.unpack("<I", data[12:16])[0]
    doc, body = json.loads(data[20 : 20 + length]), data[28 + length :]

    def accessor(index):
        a = doc["accessors"][index]
        view = doc["bufferViews"][a["bufferView"]]
        start = view.get("byteOffset", 0) + a.get("byteOffset", 0)
        width = WIDTHS[a["type"]]
        return np.frombuffer(body, TYPES[a["componentType"]], a["count"] * width, start).reshape(-1, width)

    def frame(node):
        if "matrix" in node:
            return np.array(node["matrix"]).reshape(4, 4).T
        x, y, z, w = node.get("rotation", [0, 0, 0, 1])
        turn = np.array([
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ])
        out = np.eye(4)
        out[:3, :3] = turn * np.array(node.get("scale", [1, 1, 1]))
        out[:3, 3] = node.get("translation", [0, 0, 0])
        return out

    places, faces, count = [], [], 0

    def walk(index, above):
        nonlocal count
        node = doc["nodes"][index]
        here = above @ frame(node)
        if "mesh" in node:
            for p in doc["meshes"][node["mesh"]]["primitives"]:
                v = accessor(p["attributes"]["POSITION"]).astype(np.float64)
                places.append((v @ here[:3, :3].T + here[:3, 3]).astype(np.float32))
                faces.append(accessor(p["indices"]).reshape(-1, 3).astype(np.uint32) + count)
                count += len(v)
        for child in node.get("children", []):
            walk(child, here)

    for root in doc["scenes"][doc.get("scene", 0)]["nodes"]:
        walk(root, np.eye(4))
    v, f = np.concatenate(places), np.concatenate(faces)
    unique, back = np.unique(v, axis=0, return_inverse=True)
    return unique, back.reshape(-1)[f].astype(np.uint32)


def write(path, places, uvs, faces):
    blob = places.tobytes() + uvs.tobytes() + faces.tobytes()
    cuts = [0, places.nbytes, places.nbytes + uvs.nbytes]
    sizes = [places.nbytes, uvs.nbytes, faces.nbytes]
    doc = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2}]}],
        "buffers": [{"byteLength": len(blob)}],
        "bufferViews": [{"buffer": 0, "byteOffset": c, "byteLength": s} for c, s in zip(cuts, sizes)],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": len(places), "type": "VEC3",
             "min": places.min(0).tolist(), "max": places.max(0).tolist()},
            {"bufferView": 1, "componentType": 5126, "count": len(uvs), "type": "VEC2"},
            {"bufferView": 2, "componentType": 5125, "count": int(faces.size), "type": "SCALAR"},
        ],
    }
    text = json.dumps(doc).encode()
    text += b" " * (-len(text) % 4)
    blob += b"\0" * (-len(blob) % 4)
    with open(path, "wb") as out:
        out.write(struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(blob)))
        out.write(struct.pack("<I4s", len(text), b"JSON") + text)
        out.write(struct.pack("<I4s", len(blob), b"BIN\0") + blob)


def reference(path, out):
    places, faces = read(path)
    start = time.time()
    atlas = xatlas.Atlas()
    atlas.add_mesh(places, faces)
    options = xatlas.PackOptions()
    options.resolution, options.padding = 2048, 8
    atlas.generate(xatlas.ChartOptions(), options)
    seconds = time.time() - start
    origin, made, uvs = atlas.get_mesh(0)
    square = np.array([atlas.width, atlas.height], np.float32) / max(atlas.width, atlas.height)
    uvs = uvs.astype(np.float32) * square
    uvs[:, 1] = 1 - uvs[:, 1]
    write(out, places[origin].astype(np.float32), uvs, made.astype(np.uint32))
    return atlas.chart_count, seconds


def main():
    ectome, *files = sys.argv[1:]
    print("| mesh | | islands | coverage | L² | L∞ | smallest gap | seconds |\n|---|---|---|---|---|---|---|---|")
    with tempfile.TemporaryDirectory() as folder:
        report = os.path.join(folder, "report.json")
        for entry in files:
            path, _, manner = entry.partition(":")
            other = os.path.join(folder, "reference.glb")
            charts, seconds = min((reference(path, other) for _ in range(3)), key=lambda r: r[1])
            judge = [ectome, "unwrap", "--report", report]
            subprocess.run([*judge, other, "--layout", "keep"], check=True, capture_output=True)
            theirs = json.load(open(report))
            ours = None
            for _ in range(3):
                subprocess.run([*judge, path, "--manner", manner or "soft"], check=True, capture_output=True)
                again = json.load(open(report))
                if ours is None or again["seconds"] < ours["seconds"]:
                    ours = again
            name = os.path.basename(path).removesuffix(".glb")
            for who, r, n, s in (("reference", theirs, charts, seconds), (manner or "soft", ours, ours["islands"], ours["seconds"])):
                print(f"| {name} | {who} | {n} | {r['coverage_percent']:.1f} % | {r['stretch_l2']:.4f} | {r['stretch_max']:.2f} "
                      f"| {r['smallest_gap_texels']:.1f} | {s:.2f} |")


main()
