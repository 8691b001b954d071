# Two pieces of work in turn, as a row of a table: medians of some rounds after one that
# is not counted, and of their ratios.

seconds <- function(work) {
  gc(FALSE)
  system.time(work(), gcFirst = FALSE)[["elapsed"]]
}
in_turn <- function(what, ours, base, most, rounds = 3) {
  ours()
  base()
  took <- replicate(rounds, c(seconds(ours), seconds(base)))
  cat(sprintf("| %s | %.2f s | %.2f s | %.2f | %s |\n", what, stats::median(took[1, ]), stats::median(took[2, ]),
              stats::median(took[1, ] / took[2, ]), most))
}
