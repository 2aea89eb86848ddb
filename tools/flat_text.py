#!/usr/bin/env python3
"""Merges the flat areas of text of a real font and compares the count with the formula.

    pip install numpy fonttools brotli
    tools/flat_text.py target/release/ectome FONT.woff2 [TEXT] [CELLS]

The outlines of the text are laid on a grid of even cells, and the cells that lie inside stand as a slab: two flat sides and upright walls.
A polygon of V corners and h holes takes V + 2h - 2 triangles, and a wall two, so a slab of several letters takes
sum over letters of 2 (V + 2h - 2) + 2 V.
"""
import json
import os
import subprocess
import sys
import tempfile
import time

import numpy as np
from fontTools.pens.basePen import BasePen
from fontTools.ttLib import TTFont


class Outlines(BasePen):
    """Outlines as closed polygons; curves in sixteen steps."""

    def __init__(self, glyphs):
        super().__init__(glyphs)
        self.polygons = []

    def _moveTo(self, p):
        self.polygons.append([p])

    def _lineTo(self, p):
        self.polygons[-1].append(p)

    def _curveToOne(self, b, c, d):
        a = self.polygons[-1][-1]
        for t in np.arange(1, 17) / 16:
            w = [(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t**3]
            self.polygons[-1].append(tuple(sum(k * p[x] for k, p in zip(w, (a, b, c, d))) for x in (0, 1)))


def cells(font, text, across):
    """Which cells of a grid lie inside the text, by the non-zero rule; rows from the bottom."""
    glyphs, names, metrics = font.getGlyphSet(), font.getBestCmap(), font["hmtx"]
    polygons, x = [], 0
    for letter in text:
        name = names[ord(letter)]
        pen = Outlines(glyphs)
        glyphs[name].draw(pen)
        polygons += [np.array(p, float) + [x, 0] for p in pen.polygons if len(p) > 2]
        x += metrics[name][0] * 1.15
    low = np.min([p.min(0) for p in polygons], axis=0)
    high = np.max([p.max(0) for p in polygons], axis=0)
    step = (high[0] - low[0]) / across
    down = int(np.ceil((high[1] - low[1]) / step))
    at_x, at_y = (np.arange(across) + 0.5) * step + low[0], (np.arange(down) + 0.5) * step + low[1]
    winding = np.zeros((down, across), int)
    for p in polygons:
        for (x0, y0), (x1, y1) in zip(p, np.roll(p, -1, 0)):
            rows = (at_y >= min(y0, y1)) & (at_y < max(y0, y1))
            if rows.any():
                cut = x0 + (at_y[rows] - y0) / (y1 - y0) * (x1 - x0)
                winding[rows] += np.where(at_x[None, :] > cut[:, None], 1 if y1 > y0 else -1, 0)
    full = np.pad(winding != 0, 1)
    # Cells that touch in a corner only would make an edge of four walls: one between them is filled.
    for _ in range(100):
        a, b, c, d = full[:-1, :-1], full[:-1, 1:], full[1:, :-1], full[1:, 1:]
        touch = (a & d & ~b & ~c) | (b & c & ~a & ~d)
        if not touch.any():
            break
        j, i = np.argwhere(touch)[0]
        full[j, i] = full[j, i + 1] = True
    return full


def slab(full):
    """Places and quads of the cells: tops, bottoms and walls."""
    rows, columns = full.shape
    number, places, quads = {}, [], []

    def corner(i, j, k):
        if (i, j, k) not in number:
            number[i, j, k] = len(places)
            places.append((i * 0.01, j * 0.01, k * 0.05))
        return number[i, j, k]

    for j, i in np.argwhere(full):
        ring = [(i, j), (i + 1, j), (i + 1, j + 1), (i, j + 1)]
        quads.append([corner(*p, 1) for p in ring])
        quads.append([corner(*p, 0) for p in reversed(ring)])
        beside = [(j - 1, i), (j, i + 1), (j + 1, i), (j, i - 1)]
        for k, (y, x) in enumerate(beside):
            if not (0 <= y < rows and 0 <= x < columns and full[y, x]):
                p, q = ring[k], ring[(k + 1) % 4]
                quads.append([corner(*p, 0), corner(*q, 0), corner(*q, 1), corner(*p, 1)])
    return places, quads


def formula(full):
    """Triangles that the slab needs."""
    # A corner of an outline: one or three of the four cells around are inside.
    around = full[:-1, :-1].astype(int) + full[:-1, 1:] + full[1:, :-1] + full[1:, 1:]
    corners = int(((around == 1) | (around == 3)).sum())
    letters, holes = pieces(full), pieces(~full) - 1
    return 2 * (corners + 2 * holes - 2 * letters) + 2 * corners


def pieces(mask):
    """Connected pieces; cells that touch in a corner are two."""
    mask, count = np.pad(mask.copy(), 1, constant_values=False), 0
    while mask.any():
        count += 1
        waiting = [tuple(np.argwhere(mask)[0])]
        mask[waiting[0]] = False
        while waiting:
            j, i = waiting.pop()
            for y, x in ((j - 1, i), (j + 1, i), (j, i - 1), (j, i + 1)):
                if mask[y, x]:
                    mask[y, x] = False
                    waiting.append((y, x))
    return count


def main():
    ectome, font = sys.argv[1], TTFont(sys.argv[2])
    text = sys.argv[3] if len(sys.argv) > 3 else "Skerry Light & 68 buoys"
    full = cells(font, text, int(sys.argv[4]) if len(sys.argv) > 4 else 400)
    places, quads = slab(full)
    with tempfile.TemporaryDirectory() as folder:
        source, made = os.path.join(folder, "text.obj"), os.path.join(folder, "merged.obj")
        with open(source, "w") as out:
            out.writelines("v %.6g %.6g %.6g\n" % p for p in places)
            out.writelines("f %d %d %d %d\n" % tuple(c + 1 for c in q) for q in quads)
        started = time.time()
        subprocess.run([ectome, "cut", source, "--flat", "-o", made], check=True, stdout=subprocess.DEVNULL)
        seconds = time.time() - started
        report = json.loads(subprocess.check_output([ectome, "compare", source, made, "--json"]))
    left, wanted = report["low"]["triangles"], formula(full)
    print(f"{2 * len(quads)} triangles to {left}, formula {wanted}, ratio {left / wanted:.4f}, {seconds:.2f} s")
    print(f"largest deviation {report['deviation_max_percent_of_diagonal']:.7f} % of the diagonal, open edges {report['low']['open_edges']}")


if __name__ == "__main__":
    main()
