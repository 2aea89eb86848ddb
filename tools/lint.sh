#!/usr/bin/env bash
# What no compiler sees: data must reach pages escaped, secrets must reach nobody, and files that are named must be there.
set -euo pipefail
cd "$(dirname "$0")/.."
web=crates/ectome-web
failed=0

# forbid PATTERN WHY PLACE...
forbid() {
  local pattern=$1 why=$2
  shift 2
  if grep -rnE --include='*.html' --include='*.rs' --include='*.js' --exclude-dir=vendor "$pattern" "$@"; then
    echo "lint: $why" >&2
    failed=1
  fi
}

forbid '\|\s*(safe|e\("none"\))|escape\s*=\s*"none"' \
  'a template writes something unescaped: give JSON as PageJson, and partials by include' $web/templates $web/src
forbid 'innerHTML\s*[+]?=|outerHTML\s*=|insertAdjacentHTML|document\.write|\beval\(|new Function' \
  'a script makes elements from text: use textContent, or move nodes' $web/static/js
forbid '<script>|<script type="module">|style="|\son[a-z]+="' \
  'a page runs or styles inline, which the content security policy refuses' $web/templates
forbid 'impl (askama::filters::)?HtmlSafe for' \
  'only page_json.rs and rendered.rs may call something safe' $(find $web/src -name '*.rs' ! -name page_json.rs ! -name rendered.rs)

# Every form that is sent carries the token.
if grep -rnE '<form[^>]*method="post"' $web/templates | grep -v 'crate::guard::token()'; then
  echo 'lint: a form has no token: <input type="hidden" name="token" value="{{ crate::guard::token() }}">' >&2
  failed=1
fi

# Files that the documentation names; crates without their first word.
while read -r path; do
  for at in "$path" "crates/$path" "crates/ectome-$path"; do [ -e "$at" ] && continue 2; done
  echo "lint: the documentation names $path, which is not there" >&2
  failed=1
done < <(grep -hoE '`[A-Za-z0-9_-]+/[A-Za-z0-9_./-]+\.(rs|sh|py|cjs|mjs|js|html|sql|css)`' README.md CONTRIBUTING.md docs/*.md | tr -d '`' | sort -u)
exit $failed
