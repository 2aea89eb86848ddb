// usage: node validate.cjs FILE…   One line of JSON per file: errors, warnings and their codes, triangles, messages.
const fs = require('node:fs');
const path = require('node:path');
const validator = require('gltf-validator');

(async () => {
  for (const file of process.argv.slice(2)) {
    const report = await validator.validateBytes(new Uint8Array(fs.readFileSync(file)), {
      uri: path.basename(file),
      externalResourceFunction: (uri) => file.endsWith('.gltf')
        ? fs.promises.readFile(path.join(path.dirname(file), decodeURIComponent(uri))).then((b) => new Uint8Array(b))
        : Promise.reject(new Error('a GLB must hold everything itself')),
    });
    console.log(JSON.stringify({
      errors: report.issues.numErrors,
      warnings: report.issues.numWarnings,
      warned: [...new Set(report.issues.messages.filter((m) => m.severity === 1).map((m) => m.code))],
      triangles: report.info.totalTriangleCount,
      messages: report.issues.messages.slice(0, 8).map((m) => `${m.code} ${m.pointer ?? ''}`),
    }));
  }
})();
