// Reads a KTX2 file with the transcoder that ships with three.js: `node ktx2.cjs FILE LEVEL` writes the texels of a level as RGBA, and fails
// where it cannot be made into what devices read (ETC1, ETC2, BC1, BC3, BC7, ASTC). The formats' numbers are those of the transcoder.
const { readFileSync, writeSync } = require('node:fs');
const { join } = require('node:path');

const here = join(__dirname, 'node_modules/three/examples/jsm/libs/basis');
const holder = { exports: {} };
const script = readFileSync(join(here, 'basis_transcoder.js'), 'utf8');
new Function('module', 'exports', 'require', '__dirname', '__filename', script)(holder, holder.exports, require, here, here);

holder.exports({ wasmBinary: readFileSync(join(here, 'basis_transcoder.wasm')) }).then((basis) => {
  basis.initializeBasis();
  const file = new basis.KTX2File(new Uint8Array(readFileSync(process.argv[2])));
  if (!file.isValid() || !file.isUASTC()) throw new Error('not a file of UASTC blocks');
  if (!file.startTranscoding()) throw new Error('it cannot be transcoded');
  const level = Number(process.argv[3]);
  const made = (format) => {
    const out = new Uint8Array(file.getImageTranscodedSizeInBytes(level, 0, 0, format));
    if (!file.transcodeImage(out, level, 0, 0, format, 0, -1, -1)) throw new Error(`no format ${format}`);
    return out;
  };
  for (const format of [0, 1, 2, 3, 6, 10]) made(format);
  const texels = made(13);
  for (let at = 0; at < texels.length;) at += writeSync(1, texels.subarray(at));
}).catch((error) => {
  console.error(String(error).slice(0, 300));
  process.exit(1);
});
