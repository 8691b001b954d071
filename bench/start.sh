#!/usr/bin/env bash
# How long the command-line tool takes on the demo data, beside R alone and R with the packages that it loads: the
# median of nine runs each, in turn. Run by `make bench`, from the repository's root.
set -euo pipefail
tool=$PWD/.build/library/wavetax/exec/wavetax
data=$PWD/inst/extdata/harbours.csv
keys=(--entity harbour --period season --formula 'log(nights) ~ levy + storms')

seconds() {
  local begin end
  begin=$(date +%s%N)
  "$@" > /dev/null 2>&1
  end=$(date +%s%N)
  echo $(((end - begin) / 1000000))
}
names=("Rscript -e 1" "R with the packages" "wavetax --version" "wavetax help fit" "wavetax fit, one model" "wavetax fit, three")
run() {
  case $1 in
    0) seconds Rscript -e 1 ;;
    1) seconds Rscript -e 'for (p in c("rlang", "cli", "Rcpp", "data.table", "optparse")) loadNamespace(p)' ;;
    2) seconds sh "$tool" --version ;;
    3) seconds sh "$tool" help fit ;;
    4) seconds sh "$tool" fit "$data" "${keys[@]}" --model fixed ;;
    5) seconds sh "$tool" fit "$data" "${keys[@]}" ;;
  esac
}
declare -A times
for _ in 1 2 3 4 5 6 7 8 9; do
  for k in 0 1 2 3 4 5; do times[$k]="${times[$k]:-} $(run $k)"; done
done
for k in 0 1 2 3 4 5; do
  printf '%-24s %5s ms\n' "${names[$k]}" "$(printf '%s\n' ${times[$k]} | sort -n | sed -n 5p)"
done
