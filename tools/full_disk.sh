#!/usr/bin/env bash
# A disk that fills up, on a small file system of memory (needs root): work waits, pages say why, assets can be removed, and
# everything goes on. Usage: tools/full_disk.sh PROGRAM
set -euo pipefail
program=$(readlink -f "${1:?the ectome program}")
disk=$(mktemp -d)
mount -t tmpfs -o size=700m ectome-test "$disk"
port=4191
server=
finish() {
  [ -z "$server" ] || kill "$server" 2>/dev/null || true
  wait 2>/dev/null || true
  umount "$disk" && rmdir "$disk"
}
trap finish EXIT

"$program" serve --no-demo --data "$disk/data" --port $port --disk-reserve $((100 << 20)) >/dev/null 2>&1 &
server=$!
base=http://127.0.0.1:$port
ask() { curl -s --max-time 20 "$@"; }
until ask -o /dev/null $base/; do sleep 0.2; done
token=$(cat "$disk/data/token")
send() { ask -H "X-Ectome-Token: $token" "$@"; }
settle() {
  for _ in $(seq 300); do
    ask $base/work | grep -qE 'state-(queued|running)' || return 0
    sleep 0.2
  done
  echo "work never ends"
  exit 1
}
expect() { # TEXT PATH
  ask "$base$2" | grep -qF "$1" || { echo "FAILED: $2 does not say: $1"; exit 1; }
  echo "ok: $2 says: $1"
}
tile=$(mktemp --suffix=.obj)
printf 'v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n' >"$tile"

send -F "files=@$tile;filename=first.obj" -o /dev/null $base/assets
settle
echo "free after the first asset: $(df --output=avail -m "$disk" | tail -1) MB"

# Somebody else fills the disk below the reserve.
free=$(df --output=avail -k "$disk" | tail -1)
head -c $(((free - 60 * 1024) * 1024)) /dev/zero >"$disk/filler"
answer=$(send -F "files=@$tile;filename=second.obj" -o /dev/null -w '%{http_code}' $base/assets)
[ "$answer" = 507 ] && echo "ok: an upload is refused with 507" || { echo "FAILED: upload answered $answer"; exit 1; }
expect "New work waits" /cards
expect "Remove assets that are not needed" /work
ask $base/ | grep -qi second && { echo "FAILED: what was refused is listed"; exit 1; }
send -d 'change=make_outward' -o /dev/null $base/assets/1/changes
sleep 2
ask $base/work | grep -q state-queued && echo "ok: new work waits"

# To the last byte: pages stay readable, and the asset can be removed.
head -c 200000000 /dev/zero >>"$disk/filler" 2>/dev/null || true
for page in / /work /assets/1/cut /briefs; do
  code=$(ask -o /dev/null -w "%{http_code}" $base$page) || true
  [ "$code" = 200 ] || { echo "FAILED: $page answered $code"; tail -5 "$disk/data/database/error.log"; exit 1; }
done
echo "ok: pages are readable on a full disk ($(df --output=avail -k "$disk" | tail -1) kB free)"
blobs=$(find "$disk/data/blobs" -type f | wc -l)
answer=$(send -d '' -o /dev/null -w '%{http_code}' $base/assets/1/remove)
[ "$answer" = 303 ] && echo "ok: an asset is removed from a full disk" || { echo "FAILED: removal answered $answer"; exit 1; }
for _ in $(seq 50); do
  [ "$(find "$disk/data/blobs" -type f | wc -l)" -lt "$blobs" ] && break
  sleep 0.2
done
[ "$(find "$disk/data/blobs" -type f | wc -l)" = 0 ] && echo "ok: its $blobs blobs are gone" || { echo "FAILED: blobs stay"; exit 1; }

# Room again: everything goes on.
rm "$disk/filler"
send -F "files=@$tile;filename=third.obj" -o /dev/null $base/assets
settle
expect "<b>4</b> triangles" /cards
[ -z "$(ls "$disk/data/incoming")" ] && echo "ok: nothing unfinished is left"
