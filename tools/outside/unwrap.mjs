// Unwraps a mesh with xatlas as a sheet of 1024 with 4 texels between charts: node unwrap.mjs IN OUT
// IN: count of points and of triangles, points as three floats, triangles as three numbers, all of 32 bits, little-endian.
// OUT: the two UVs of each corner, in widths of the sheet.
import { readFileSync, writeFileSync } from 'node:fs';
import * as watlas from 'watlas';

const bytes = readFileSync(process.argv[2]);
const [points, triangles] = new Uint32Array(bytes.buffer, bytes.byteOffset, 2);
const vertexPositionData = new Float32Array(bytes.buffer, bytes.byteOffset + 8, 3 * points);
const indexData = new Uint32Array(bytes.buffer, bytes.byteOffset + 8 + 12 * points, 3 * triangles);

await watlas.Initialize();
const atlas = new watlas.Atlas();
atlas.addMesh({ vertexPositionData, vertexCount: points, vertexPositionStride: 12, indexData, indexCount: indexData.length });
atlas.generate({}, { resolution: 1024, padding: 4 });
const mesh = atlas.getMesh(0);
const corners = new Uint32Array(mesh.indexCount);
mesh.getIndexArray(corners);
const uvs = new Float32Array(2 * corners.length);
const side = Math.max(atlas.width, atlas.height);
corners.forEach((v, i) => {
  const [u, w] = mesh.getVertex(v).uv;
  uvs.set([u / side, w / side], 2 * i);
});
writeFileSync(process.argv[3], uvs);
