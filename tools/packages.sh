# Sourced by ./start and ./check: says which Debian packages are missing and installs them.

# need PROGRAM PACKAGE...: asks for packages when a program is not there.
missing=()
need() {
  local program=$1
  shift
  command -v "$program" >/dev/null 2>&1 || [ -x "/usr/sbin/$program" ] || missing+=("$@")
}

# need_file PATH PACKAGE...: asks for packages when a file or folder is not there.
need_file() {
  local path=$1
  shift
  [ -e "$path" ] || missing+=("$@")
}

install_missing() {
  [ ${#missing[@]} -gt 0 ] || return 0
  echo "Installing Debian packages: ${missing[*]}"
  local as_root=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null 2>&1 || {
      echo "These packages need root to install, and sudo is not here. As root: apt-get install ${missing[*]}" >&2
      return 1
    }
    as_root=(sudo)
  fi
  local log
  log=$(mktemp)
  # Debian's own service for the database stays as it is; ours has its own folder, port and socket.
  if ! { "${as_root[@]}" apt-get update -qq &&
    "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends "${missing[@]}"; } \
    >"$log" 2>&1; then
    tail -n 5 "$log" >&2
    echo "The packages could not be installed: ${missing[*]}. The reason stands above." >&2
    return 1
  fi
  rm -f "$log"
}

need_toolchain() {
  # A toolchain that is installed but not yet in the path of this shell.
  [ -f "${CARGO_HOME:-$HOME/.cargo}/env" ] && . "${CARGO_HOME:-$HOME/.cargo}/env"
  command -v cargo >/dev/null 2>&1 || {
    echo "There is no Rust toolchain here (cargo was not found). Install Rust 1.90 or later, then run this again." >&2
    return 1
  }
}
