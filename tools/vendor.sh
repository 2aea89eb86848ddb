#!/usr/bin/env bash
# Fetches the front-end packages again and lays them under crates/ectome-web/static/vendor.
# Needs node and npm. Not part of the build: what it makes is committed.
set -euo pipefail
cd "$(dirname "$0")/.."
vendor=crates/ectome-web/static/vendor
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
(
  cd "$work"
  npm init -y >/dev/null
  npm install --no-package-lock --no-audit --no-fund \
    htmx.org@2.0.11 htmx-ext-sse@2.2.4 bulma@1.0.4 three@0.187.0 esbuild@0.25 \
    @fontsource/ibm-plex-sans-condensed@5 @fontsource/ibm-plex-mono@5
)
cp tools/three-stage.js "$work/"
(cd "$work" && npx esbuild three-stage.js --bundle --format=esm --minify --legal-comments=inline \
  --outfile=three-stage.min.js)
modules=$work/node_modules
cp "$work/three-stage.min.js" "$modules/htmx.org/dist/htmx.min.js" "$vendor/"
cp "$modules/htmx-ext-sse/dist/sse.min.js" "$vendor/htmx-sse.min.js"
cp "$modules/bulma/css/versions/bulma-no-helpers.min.css" "$vendor/bulma.min.css"
for weight in 400 500 600; do
  cp "$modules/@fontsource/ibm-plex-sans-condensed/files/ibm-plex-sans-condensed-latin-$weight-normal.woff2" "$vendor/"
done
cp "$modules/@fontsource/ibm-plex-mono/files/ibm-plex-mono-latin-400-normal.woff2" "$vendor/"
# The same letters for pictures that the server draws: unpacked, since font readers take no woff2.
python3 -m venv "$work/python"
"$work/python/bin/pip" install --quiet fonttools brotli
"$work/python/bin/python" - "$vendor/ibm-plex-sans-condensed-latin-500-normal" <<'PYTHON'
import sys
from fontTools.ttLib import TTFont
font = TTFont(sys.argv[1] + ".woff2")
font.flavor = None
font.save(sys.argv[1] + ".ttf")
PYTHON
