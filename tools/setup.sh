#!/usr/bin/env bash
# Installs what a task needs and is missing: tools/setup.sh build|demo|test|docs|lint|screenshots
# As root with apt: prebuilt Debian packages. What these do not have, and all of it without root:
# from CRAN into the user's own library (tools/packages.R). Quick when nothing is missing.
set -euo pipefail
task=${1:-build}

case "$task" in
  screenshots) tools="xterm:xterm Xvfb:xvfb import:imagemagick chromium:chromium fc-list:fontconfig xdpyinfo:x11-utils soffice:libreoffice-writer pdflatex:texlive-latex-recommended pdftoppm:poppler-utils" ;;
  *) tools="" ;;
esac

say() { echo "setup: $*" >&2; }
can_apt() { [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; }
apt_install() {
  say "installing Debian packages: $*"
  [ -n "${apt_updated:-}" ] || { apt-get update -qq >/dev/null; apt_updated=1; }
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}

# The compiler is the one that R is configured with, whatever it is called.
has_compiler() {
  local compiler
  compiler=$(R CMD config CXX17 2>/dev/null) || return 1
  compiler=${compiler%% *}
  [ -n "$compiler" ] && command -v "$compiler" >/dev/null
}
if ! command -v Rscript >/dev/null || ! command -v make >/dev/null || ! has_compiler; then
  can_apt || { say "please install R (4.2 or later) with its development tools, make and a C++17 compiler"; exit 1; }
  apt_install r-base-core r-base-dev make g++
fi
Rscript -e 'if (getRversion() < "4.2") { message("setup: R 4.2 or later is needed; this is ", getRversion()); quit(status = 1) }'

for tool in $tools; do
  command -v "${tool%%:*}" >/dev/null && continue
  can_apt || { say "please install '${tool##*:}'"; exit 1; }
  apt_install "${tool##*:}"
done
if [ "$task" = screenshots ] && can_apt && [ -z "$(fc-list | grep -i dejavu)" ]; then apt_install fonts-dejavu; fi

missing=$(Rscript tools/packages.R missing "$task")
[ -n "${missing// /}" ] || exit 0
if can_apt; then
  apt-get update -qq >/dev/null && apt_updated=1
  known=""
  for package in $missing; do
    name="r-cran-$(echo "$package" | tr '[:upper:]' '[:lower:]')"
    if apt-cache show "$name" >/dev/null 2>&1; then known="$known $name"; fi
  done
  # shellcheck disable=SC2086
  [ -z "$known" ] || apt_install $known || say "not all of them could be had"
fi
Rscript tools/packages.R install "$task"
