#!/usr/bin/env bash
# The pictures in docs/screenshots/, made from the demo data: terminal views of the
# demo, its table as a page, its figure. `make screenshots` runs it.
set -euo pipefail
pictures=$PWD/docs/screenshots
work=$(mktemp -d)
display=:$((90 + RANDOM % 9))
Xvfb "$display" -screen 0 1280x800x24 >/dev/null 2>&1 &
server=$!
trap 'kill $server 2>/dev/null; rm -rf "$work"' EXIT
sleep 1
export DISPLAY=$display
paper='#fbfbf8'
mkdir -p "$pictures"

# terminal FILE.png FIRST LAST COMMAND: lines of what a command prints on a terminal
terminal() {
  local picture=$1 first=$2 last=$3 command=$4
  printf '%s\n' "$command" > "$work/command"
  cat > "$work/show.sh" <<SHOW
stty cols 82
printf '\$ '; cat "$work/command"; echo
script -qec "\$(tr -d '\\\\\n' < "$work/command")" /dev/null < /dev/null | sed -n '${first},${last}p'
touch "$work/ready"
sleep 20
SHOW
  rm -f "$work/ready"
  xterm -geometry 170x60+0+0 -fa 'DejaVu Sans Mono' -fs 12 -bg "$paper" -fg '#1c2b33' -b 16 -bw 0 \
    +sb -e bash "$work/show.sh" >/dev/null 2>&1 &
  local terminal=$!
  for _ in $(seq 1 60); do [ -e "$work/ready" ] && break; sleep 0.5; done
  sleep 1
  import -window root -crop 1280x800+0+0 +repage "$pictures/$picture"
  kill $terminal 2>/dev/null || true
  wait $terminal 2>/dev/null || true
}

# page FILE.png FILE.html: a page in a browser
page() {
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --hide-scrollbars \
    --disable-background-networking --disable-component-update --disable-sync \
    --user-data-dir="$work/browser" --window-size=1280,800 \
    --screenshot="$pictures/$1" "file://$2" >/dev/null 2>&1
}

export PATH=$PWD/exec:$PATH
cp -r "$PWD/inst/extdata" "$work/data"
cd "$work"
terminal demo-fits.png 1 36 "wavetax demo"
terminal fit.png 1 34 "wavetax fit data/harbours.csv --entity harbour --period season \\
    --formula 'log(nights) ~ levy + storms + pier' --model fixed,random"
wavetax fit data/harbours.csv --entity harbour --period season --model pooled,fixed,random \
  --formula 'log(nights) ~ levy + storms + fuel' --save one-way.json > /dev/null 2>&1
wavetax fit data/harbours.csv --entity harbour --period season --model fixed,random --effects both \
  --formula 'log(nights) ~ levy + storms + fuel' --save two-way.json > /dev/null 2>&1
terminal compare.png 1 36 "wavetax compare one-way.json two-way.json"
terminal errors.png 1 36 "wavetax fit data/harbours.csv --entity harbour --period season --model fixed \\
    --formula 'log(nights) ~ levy + storms' --errors all | tail -n +13"
terminal diagnosis.png 1 36 "wavetax diagnose data/harbours.csv --entity harbour --period season \\
    --formula 'log(nights) ~ levy + storms + fuel'"
terminal appraisal.png 1 36 "wavetax appraise data/harbours.csv --entity harbour --period season \\
    --formula 'log(nights) ~ levy + storms + fuel' --focus levy"
terminal problems.png 1 36 "wavetax check data/harbours-raw.csv --entity harbour --period season"
terminal layout.png 1 36 "wavetax fit data/untidy/headings.xlsx --entity line --period year --model fixed \\
    --formula 'log(passengers) ~ fare'; \\
  wavetax fit data/untidy/headings.xlsx --layout find --entity line --period year \\
    --model fixed --formula 'log(passengers) ~ fare'"
terminal ../instruments-weak.png 1 36 "wavetax fit data/harbours.csv --entity harbour --period season --model fixed \\
    --effects both --formula 'log(nights) ~ levy + storms + log(berths)' \\
    --endogenous 'log(berths)' --instruments 'past(relief)' --tests"
terminal profile.png 1 36 "wavetax profile data/harbours.csv --entity harbour --period season"
Rscript -e '
  library(wavetax)
  panel <- panel_frame(harbours, harbour, season)
  save <- function(figure, name) save_figure(figure, file.path(commandArgs(TRUE)[1], name), dpi = 200)
  eq <- log(nights) ~ levy + storms + fuel
  fits <- list(fit_pooled(eq, panel), fit_fixed(eq, panel), fit_random(eq, panel))
  save(plot_estimates(fits, terms = "levy"), "figure-levy.png")
  save(plot(appraise(eq, panel, focus = "levy")), "figure-path.png")
  save(plot_residuals(fits[[2]]), "figure-residuals.png")
  save(plot_within(log(nights) ~ levy, panel), "figure-within.png")
  save(plot_effects(fits[[2]]), "figure-effects.png")
  save(plot_presence(panel), "figure-presence.png")
  of_berths <- log(nights) ~ levy + storms + log(berths)
  strong <- fit_instrumented(of_berths, panel, ~ log(berths), ~ relief, "both")
  save(plot_estimates("Least squares" = fit_fixed(of_berths, panel, "both"), "Relief" = strong,
                      "Relief, a season before" = update(strong, instruments = ~ past(relief)),
                      terms = "log(berths)"), "../instruments-set.png")
  save(plot_paths(panel, levy, entities = c("Oskavik", "Tarnholm", "Fennosey")), "figure-paths.png")
  design <- simulate_panel(30, 6, related = 0.6, serial = 0.5)
  found <- monte_carlo(design, list(pooled = fit_pooled(y ~ x, design), fixed = fit_fixed(y ~ x, design),
                                    random = fit_random(y ~ x, design)), draws = 400)
  save(plot(found), "../laboratory-estimates.png")
  designs <- list("8 entities" = simulate_panel(8, 10, serial = 0.7),
                  "40 entities" = simulate_panel(40, 10, serial = 0.7))
  errors <- list(classical = se_classical(), robust = se_robust("HC1"), clustered = se_clustered(),
                 CR3 = se_clustered(type = "CR3"))
  sizes <- monte_carlo(designs, list(fixed = function(panel) fit_fixed(y ~ x, panel)), draws = 400, errors = errors)
  save(plot(sizes, "size"), "../laboratory-size.png")
  panel <- suppressMessages(panel_labels(panel, c(
    levy = "Wave tax, crowns a metre and night", storms = "Storms, days in the season", fuel = "Fuel, price index",
    nights = "nights sold"
  )))
  table <- spec_table(
    Pooled = list(plain = fit_pooled(eq, panel), "with seasons" = fit_pooled(update(eq, . ~ . + factor(season)), panel)),
    "Fixed effects" = list(harbours = fit_fixed(eq, panel), "and seasons" = fit_fixed(eq, panel, "both")),
    hide = ~ factor(season), title = "Nights sold and the wave tax"
  )
  write_table(table, "table.html")
  write_table(table, "table-word.docx")
  write_table(table, "table-latex.tex", fragment = FALSE)
' "$pictures"
page table.png "$work/table.html"

# document FILE.png FILE.pdf: the top of its first page
document() {
  pdftoppm -r 130 -f 1 -l 1 -png "$2" page
  convert page-*1.png -trim +repage -bordercolor white -border 40 -background white -gravity northwest \
    -extent 1280x800 "$pictures/$1"
  rm -f page-*.png
}
soffice --headless --convert-to pdf table-word.docx > /dev/null 2>&1
document table-word.png table-word.pdf
pdflatex -interaction=batchmode table-latex.tex > /dev/null
document table-latex.png table-latex.pdf
wavetax init tax > /dev/null
terminal ../study-run.png 1 36 "wavetax run tax/study.yaml --fresh"
page ../report.png "$work/tax/results/wave-tax.html"
