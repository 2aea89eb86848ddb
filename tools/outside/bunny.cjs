// Writes the open model `bunny` as an OBJ: node bunny.cjs FILE.obj
const { writeFileSync } = require('node:fs');
const { positions, cells } = require('bunny');

const lines = [
  ...positions.map((p) => `v ${p.join(' ')}`),
  ...cells.map((c) => `f ${c.map((i) => i + 1).join(' ')}`),
];
writeFileSync(process.argv[2], `${lines.join('\n')}\n`);
