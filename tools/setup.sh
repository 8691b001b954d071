#!/usr/bin/env bash
# Installs what a task needs and is missing: tools/setup.sh build|test|docs|lint|screenshots
# As root with apt: prebuilt Debian packages. Otherwise: R packages from CRAN into the
# user's own library. Says what it does; quick when nothing is missing.
set -euo pipefail
task=${1:-build}

case "$task" in
  build) packages="Rcpp RcppEigen rlang cli data.table ggplot2 optparse" tools="" ;;
  test) packages="Rcpp RcppEigen rlang cli data.table ggplot2 optparse testthat readxl openxlsx dplyr jsonlite" tools="" ;;
  docs) packages="Rcpp RcppEigen rlang cli data.table ggplot2 optparse roxygen2" tools="" ;;
  lint) packages="lintr" tools="" ;;
  screenshots)
    packages="Rcpp RcppEigen rlang cli data.table ggplot2 optparse"
    tools="xterm:xterm Xvfb:xvfb import:imagemagick chromium:chromium fc-list:fontconfig xdpyinfo:x11-utils"
    ;;
  *) echo "setup: unknown task '$task'" >&2; exit 2 ;;
esac

can_apt() { [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; }
apt_install() {
  echo "setup: installing Debian packages: $*" >&2
  [ -n "${apt_updated:-}" ] || { apt-get update -qq >/dev/null; apt_updated=1; }
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}

if ! command -v Rscript >/dev/null || ! command -v g++ >/dev/null || ! command -v make >/dev/null; then
  can_apt || { echo "setup: please install R (4.2 or later) with its development tools, make and a C++17 compiler" >&2; exit 1; }
  apt_install r-base-core r-base-dev make g++
fi

for tool in $tools; do
  command -v "${tool%%:*}" >/dev/null && continue
  can_apt || { echo "setup: please install '${tool##*:}'" >&2; exit 1; }
  apt_install "${tool##*:}"
done
if [ "$task" = screenshots ] && can_apt && [ -z "$(fc-list | grep -i dejavu)" ]; then apt_install fonts-dejavu; fi

missing_packages() {
  Rscript -e 'wanted <- commandArgs(TRUE); cat(wanted[!nzchar(vapply(wanted, function(p) system.file(package = p), ""))])' $packages
}

missing=$(missing_packages)
if [ -n "$missing" ] && can_apt; then
  wanted=""
  for package in $missing; do wanted="$wanted r-cran-$(echo "$package" | tr '[:upper:]' '[:lower:]')"; done
  # shellcheck disable=SC2086
  apt_install $wanted || echo "setup: not all of them could be had" >&2
  missing=$(missing_packages)
fi
if [ -n "$missing" ]; then
  echo "setup: installing from CRAN into the user's library: $missing" >&2
  # shellcheck disable=SC2086
  Rscript -e '
    library <- Sys.getenv("R_LIBS_USER")
    dir.create(library, recursive = TRUE, showWarnings = FALSE)
    if (identical(unname(getOption("repos")["CRAN"]), "@CRAN@")) chooseCRANmirror(ind = 1)
    install.packages(commandArgs(TRUE), lib = library, quiet = TRUE)' $missing
  missing=$(missing_packages)
  [ -z "$missing" ] || { echo "setup: still missing: $missing" >&2; exit 1; }
fi
