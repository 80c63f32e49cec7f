# Sourced by scripts/demo and scripts/test: system packages, virtual environment, outside judges.
# Quick the second time: stamps under .venv say what is already in place.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."

say() { printf '%s\n' "$*" >&2; }

need_packages() {
  command -v dpkg-query >/dev/null || return 0
  local missing=() name
  for name in "$@"; do
    dpkg-query -W -f='${Status}' "$name" 2>/dev/null | grep -q 'install ok installed' || missing+=("$name")
  done
  [ ${#missing[@]} -eq 0 ] && return 0
  local run=()
  if [ "$(id -u)" -ne 0 ]; then
    if command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
      run=(sudo -n)
    else
      say "Some system packages are missing. Run this line, then start again:"
      say "  sudo apt-get update && sudo apt-get install -y --no-install-recommends ${missing[*]}"
      exit 1
    fi
  fi
  say "Installing system packages: ${missing[*]}"
  "${run[@]}" apt-get update -qq
  DEBIAN_FRONTEND=noninteractive "${run[@]}" apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

need_window() {
  need_packages libegl1 libegl-mesa0 libgl1 libgl1-mesa-dri libopengl0 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3 \
    libfontconfig1 libglib2.0-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 \
    libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 fonts-dejavu-core
}

need_python() {
  command -v python3 >/dev/null || need_packages python3
  if ! python3 -c 'import ensurepip, venv' 2>/dev/null; then need_packages python3-venv; fi
  python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { say "Python 3.11 or newer is needed."; exit 1; }
  local stamp=".venv/.customs-stamp" want
  want="$(cat requirements.lock pyproject.toml | sha256sum) $(python3 -V) $(pwd)"
  if [ "$(cat "$stamp" 2>/dev/null)" != "$want" ]; then
    say "Setting up .venv"
    [ -x .venv/bin/python ] || python3 -m venv .venv
    .venv/bin/python -m pip install -q --disable-pip-version-check -r requirements.lock
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps -e .
    printf '%s' "$want" >"$stamp"
  fi
  # Compiled loops, kept in the user's cache; without a place to keep them everything works, more slowly.
  .venv/bin/python -m customs.kernels || true
}

need_judges() {
  need_packages assimp-testmodels 7zip zip zstd xz-utils desktop-file-utils appstream xdg-utils shared-mime-info libglib2.0-bin
  command -v node >/dev/null || need_packages nodejs
  command -v npm >/dev/null || need_packages npm
  local stamp="build/outside/.stamp" want
  want="$(cat tests/outside/package-lock.json | sha256sum)"
  if [ "$(cat "$stamp" 2>/dev/null)" != "$want" ]; then
    say "Fetching outside judges: the Khronos glTF validator, ktx-parse, compressors"
    mkdir -p build/outside
    cp tests/outside/package.json tests/outside/package-lock.json build/outside/
    npm ci --silent --no-audit --no-fund --prefix build/outside >/dev/null
    printf '%s' "$want" >"$stamp"
  fi
}
