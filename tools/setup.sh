#!/usr/bin/env bash
# Prepares a fresh checkout: system libraries, .venv, pinned packages. Does nothing when all is in place.
set -euo pipefail
cd "$(dirname "$0")/.."

find_python() {
  for candidate in ${PYTHON:-} python3.13 python3.12 python3.11 python3; do
    if "$candidate" -c 'import sys; sys.exit(not (3, 11) <= sys.version_info[:2] <= (3, 13))' 2>/dev/null; then
      echo "$candidate"; return 0
    fi
  done
  return 1
}

libraries="libgl1 libegl1 libglib2.0-0 libfontconfig1 libfreetype6 libdbus-1-3 libxkbcommon0 libxcb-cursor0 libxcb-icccm4
libxcb-keysyms1 libxcb-image0 libxcb-render-util0 libxcb-shape0 libxcb-xkb1 libxkbcommon-x11-0 libx11-xcb1 xvfb xauth
python3-venv ngspice"

missing_libraries() {
  command -v dpkg-query >/dev/null || return 0
  for package in $libraries; do
    # Newer releases renamed some libraries (…t64) and let the old name be provided.
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' && continue
    dpkg-query -W -f='${Status}' "${package}t64" 2>/dev/null | grep -q 'ok installed' && continue
    echo "$package"
  done
}

missing=$(missing_libraries | tr '\n' ' ')
if [ -n "${missing// /}" ]; then
  if [ "$(id -u)" = 0 ]; then as_root=""; elif sudo -n true 2>/dev/null; then as_root="sudo"; else as_root="no"; fi
  if [ "$as_root" = no ]; then
    echo "Some system libraries are missing. Please run, then try again:" >&2
    echo "  sudo apt-get install $missing" >&2
    exit 1
  fi
  echo "Installing system libraries: $missing"
  $as_root apt-get update -qq
  $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
fi

if [ ! -x .venv/bin/python ]; then
  if ! python=$(find_python); then
    echo "Zincsmith needs Python 3.11, 3.12 or 3.13; $(python3 --version 2>&1) was found." >&2
    echo "Install one of them, or name it: make PYTHON=/path/to/python3.12 test" >&2
    exit 1
  fi
  "$python" -m venv .venv
fi

wanted=$(cat requirements.txt requirements-dev.txt pyproject.toml | sha256sum | cut -d' ' -f1)
if [ "$(cat .venv/.installed 2>/dev/null || true)" != "$wanted" ]; then
  echo "Installing the pinned packages into .venv"
  .venv/bin/python -m pip install --quiet --disable-pip-version-check -r requirements-dev.txt
  .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
  echo "$wanted" > .venv/.installed
fi
